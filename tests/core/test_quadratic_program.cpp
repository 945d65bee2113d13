#include <catch2/catch.hpp>
#include <random>

#include "fixture.h"
#include "step/nearest_point.h"
#include "step/quadratic_program.h"

using namespace tundrel;

namespace {

// Stationarity, feasibility, signs and complementarity: together they prove the minimum of a convex
// program.
void check_optimal(const QuadraticProgram& p, const QuadraticSolution& s) {
  const Eigen::VectorXd gradient = p.curvature * s.x + p.slope - p.normals * s.multipliers;
  CHECK(gradient.norm() < 1e-8 * (1 + p.slope.norm()));
  for (int i = 0; i < p.normals.cols(); ++i) {
    const double excess = p.normals.col(i).dot(s.x) - p.offsets[i];
    if (i < p.n_equalities) {
      CHECK(std::fabs(excess) < 1e-8);
    } else {
      CHECK(excess > -1e-8);
      CHECK(s.multipliers[i] > -1e-9);
      CHECK(std::fabs(s.multipliers[i] * excess) < 1e-7);
    }
  }
}

}  // namespace

TEST_CASE("random quadratic programs end at points that satisfy the conditions of optimality") {
  std::mt19937 random(11);
  std::normal_distribution<double> normal;
  const auto fill = [&](int rows, int columns) {
    return Eigen::MatrixXd(Eigen::MatrixXd::NullaryExpr(rows, columns, [&] { return normal(random); }));
  };
  for (int trial = 0; trial < 200; ++trial) {
    const int n = 1 + trial % 7, equalities = n > 2 ? trial % 2 : 0, m = equalities + trial % 9;
    QuadraticProgram p;
    const Eigen::MatrixXd root = fill(n, n);
    p.curvature = root * root.transpose() + 0.1 * Eigen::MatrixXd::Identity(n, n);
    p.slope = 3 * fill(n, 1);
    p.normals = fill(n, m);
    // an inner point exists, so that the program can be solved
    const Eigen::VectorXd inner = fill(n, 1);
    p.offsets = p.normals.transpose() * inner;
    for (int i = equalities; i < m; ++i) p.offsets[i] -= std::fabs(normal(random));
    p.n_equalities = equalities;
    const QuadraticSolution s = solve(p);
    INFO("trial " << trial);
    REQUIRE(s.feasible);
    check_optimal(p, s);
  }
}

TEST_CASE("a program that cannot be satisfied is called infeasible") {
  QuadraticProgram p;
  p.curvature = Eigen::MatrixXd::Identity(2, 2);
  p.slope = vec({0, 0});
  p.normals = (Eigen::MatrixXd(2, 2) << 1, -1, 0, 0).finished();  // x >= 1 and -x >= 0
  p.offsets = vec({1, 0});
  CHECK_FALSE(solve(p).feasible);
}

TEST_CASE("the nearest point on a line and outside a circle") {
  Graph g;
  const int a = g.parameter(0), b = g.parameter(1);
  const int line = g.apply(Op::subtract, g.apply(Op::add, a, b), g.constant(1));
  const JointConditions on_line(g, {line}, 1, 2);
  Eigen::VectorXd x = vec({2, 1});
  REQUIRE(nearest_inside(on_line, no_bounds(2), x));
  CHECK(x[0] == Approx(1));
  CHECK(x[1] == Approx(0).margin(1e-9));

  const int circle = g.apply(Op::subtract, g.apply(Op::add, g.apply(Op::multiply, a, a), g.apply(Op::multiply, b, b)),
                             g.constant(4));
  const JointConditions outside(g, {circle}, 0, 2);
  x = vec({0.6, 0.8});
  REQUIRE(nearest_inside(outside, no_bounds(2), x));
  CHECK(x[0] == Approx(1.2).epsilon(1e-6));
  CHECK(x[1] == Approx(1.6).epsilon(1e-6));
}
