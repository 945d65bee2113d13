// A parameter that runs away while others follow it: a sigmoid that is steeper than its doses tell.
#include <catch2/catch.hpp>

#include "fixture.h"
#include "solver/levenberg_marquardt.h"
#include "solver/run_loop.h"

using namespace tundrel;

namespace {

// y = 1 / (1 + exp(h (e - x))) at 0, 1, ..., 6; readings are 0 up to 2 and 1 from 4 on, and at 3 as stated. Those beside it, where they are
// stated too, lie on a sigmoid that is less steep.
std::unique_ptr<LeastSquaresProblem> sigmoid(const std::vector<double>& y, std::vector<double>& x) {
  x = {0, 1, 2, 3, 4, 5, 6};
  Graph g;
  const int x_column = g.column(0), y_column = g.column(1);
  const int exponent = g.apply(Op::multiply, g.parameter(1), g.apply(Op::subtract, g.parameter(0), x_column));
  const int fitted = g.apply(Op::divide, g.constant(1), g.apply(Op::add, g.constant(1), g.apply(Op::exp, exponent)));
  const int residual = least_squares_residual(g, y_column, fitted, -1);
  Columns columns{{x.data(), y.data()}, static_cast<long>(x.size())};
  return std::make_unique<LeastSquaresProblem>(std::move(g), residual, y_column, columns, no_bounds(2), 1);
}

RunResult walked(const std::vector<double>& y) {
  std::vector<double> x;
  const auto problem = sigmoid(y, x);
  LevenbergMarquardt solver({});
  return run(*problem, solver, vec({3.1, 4}), Budget());
}

}  // namespace

TEST_CASE("a steepness that no reading limits is told to run away, and the middle that goes along is not") {
  const RunResult found = walked({-0.02, 0.01, -0.01, 0.3, 1.02, 0.99, 1.01});
  CHECK_FALSE(found.converged);
  CHECK(found.reason == StopReason::diverged);
  CHECK(found.verification.runaway == std::vector<int>{1});
  // all of a step that meets the reading in the middle is left: the others' squares
  CHECK(found.value == Approx(0.02 * 0.02 * 2 + 0.01 * 0.01 * 4).epsilon(1e-4));
}

TEST_CASE("a steepness that readings beside the middle tell is an answer") {
  const RunResult found = walked({0.02, -0.01, 0.13, 0.3, 0.86, 0.99, 1});
  CHECK(found.converged);
  CHECK(found.verification.runaway.empty());
}
