// Small problems for the tests of solvers.
#pragma once
#include <limits>
#include <memory>
#include <vector>

#include "criterion/least_squares.h"
#include "problem/least_squares_problem.h"

// y = a exp(-b x) + noise that has a known pattern.
struct DecayData {
  std::vector<double> x, y;
  explicit DecayData(int rows) {
    for (int i = 0; i < rows; ++i) {
      x.push_back(10.0 * i / rows);
      y.push_back(5 * std::exp(-0.4 * x[i]) + 0.05 * std::sin(37.0 * i));
    }
  }
};

inline tundrel::Bounds no_bounds(int p) { return tundrel::Bounds::none(p); }

inline std::unique_ptr<tundrel::LeastSquaresProblem> decay_problem(const DecayData& data, tundrel::Bounds bounds,
                                                                   int threads = 1) {
  using namespace tundrel;
  Graph g;
  const int x = g.column(0), y = g.column(1), a = g.parameter(0), b = g.parameter(1);
  const int fitted = g.apply(Op::multiply, a, g.apply(Op::exp, g.apply(Op::negate, g.apply(Op::multiply, b, x))));
  const int residual = least_squares_residual(g, y, fitted, -1);
  Columns columns{{data.x.data(), data.y.data()}, static_cast<long>(data.x.size())};
  return std::make_unique<LeastSquaresProblem>(std::move(g), residual, y, columns, std::move(bounds), threads);
}

inline Eigen::VectorXd vec(std::vector<double> x) { return Eigen::Map<Eigen::VectorXd>(x.data(), x.size()); }
