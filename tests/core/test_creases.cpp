// Answers that rest on a kink of the model: two lines that meet over a reading.
#include <catch2/catch.hpp>

#include "fixture.h"
#include "solver/levenberg_marquardt.h"
#include "solver/run_loop.h"
#include "verification/creases.h"

using namespace tundrel;

namespace {

// y = a + b x + c max(x - brk, 0), with readings that lie above two lines where these meet, at 5.
struct BrokenLine {
  std::vector<double> x, y;
  BrokenLine() {
    const std::vector<double> off = {-0.2, 0.1, 0, 0.1, -0.2, 0.6, -0.2, 0.1, 0, 0.1, -0.2};
    for (int i = 0; i <= 10; ++i) {
      x.push_back(i);
      y.push_back(i - 0.5 * std::max(i - 5, 0) + off[static_cast<std::size_t>(i)]);
    }
  }
  std::unique_ptr<LeastSquaresProblem> problem() const {
    Graph g;
    const int x_column = g.column(0), y_column = g.column(1);
    const int beyond = g.apply(Op::max, g.apply(Op::subtract, x_column, g.parameter(3)), g.constant(0));
    const int first = g.apply(Op::add, g.parameter(0), g.apply(Op::multiply, g.parameter(1), x_column));
    const int fitted = g.apply(Op::add, first, g.apply(Op::multiply, g.parameter(2), beyond));
    const int residual = least_squares_residual(g, y_column, fitted, -1);
    Columns columns{{x.data(), y.data()}, static_cast<long>(x.size())};
    return std::make_unique<LeastSquaresProblem>(std::move(g), residual, y_column, columns, no_bounds(4), 1);
  }
};

}  // namespace

TEST_CASE("a walk that is stopped by a kink settles on it, and is verified there") {
  const BrokenLine data;
  const auto problem = data.problem();
  for (const double from : {4.2, 4.9, 5.3, 6.1}) {
    LevenbergMarquardt solver({});
    const RunResult found = run(*problem, solver, vec({0, 1, -0.4, from}), Budget());
    CHECK(found.converged);
    CHECK(found.verification.creased == std::vector<int>{3});
    CHECK(found.x[3] == Approx(5).epsilon(1e-14));
    // no break nearby is better, whatever the lines
    for (const double by : {-0.3, -0.01, -1e-5, 1e-5, 0.01, 0.3}) {
      Eigen::VectorXd there = found.x;
      there[3] += by;
      CHECK(problem->value(there) > found.value);
    }
  }
}

TEST_CASE("beside a kink, and where the criterion only bends, there is no crease") {
  const BrokenLine data;
  const auto problem = data.problem();
  LevenbergMarquardt solver({});
  const RunResult found = run(*problem, solver, vec({0, 1, -0.4, 4.2}), Budget());
  Eigen::VectorXd beside = found.x;
  beside[3] += 1e-5;
  CHECK(creases_at(*problem, beside, {0, 1, 2, 3}).empty());
  CHECK_FALSE(verify(*problem, beside).converged);
  CHECK(creases_at(*problem, found.x, {0, 1, 2}).empty());

  const DecayData smooth(30);
  const auto decay = decay_problem(smooth, no_bounds(2));
  const RunResult bottom = run(*decay, solver, vec({1, 1}), Budget());
  REQUIRE(bottom.converged);
  CHECK(creases_at(*decay, bottom.x, {0, 1}).empty());
  Eigen::VectorXd to;
  CHECK_FALSE(settle_on_creases(*decay, bottom.x, to));
}
