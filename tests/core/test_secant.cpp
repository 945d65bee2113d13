#include <Eigen/LU>
#include <catch2/catch.hpp>

#include <limits>

#include "fixture.h"
#include "problem/differences.h"
#include "problem/function_model.h"
#include "problem/row_model_squares.h"
#include "solver/run_loop.h"
#include "solver/secant_levenberg_marquardt.h"

using namespace tundrel;

namespace {

RowModelSquares squares_of(const FunctionModel::Values& residuals, int rows, const Bounds& bounds) {
  return {std::make_unique<FunctionModel>(residuals, rows, bounds), {}, {}, bounds, 10};
}

}  // namespace

TEST_CASE("residuals that are linear are solved by one Jacobian and its first step") {
  const Eigen::MatrixXd a = (Eigen::MatrixXd(4, 2) << 1, 2, 3, -1, 0.5, 4, -2, 1).finished();
  const Eigen::VectorXd b = vec({1, 2, -1, 3});
  int calls = 0;
  RowModelSquares problem = squares_of([&](const Eigen::VectorXd& p, Eigen::VectorXd& out) {
    ++calls;
    out = a * p - b;
  }, 4, no_bounds(2));
  problem.work.log = std::make_shared<CallLog>();
  SecantLevenbergMarquardt solver(100, 1e-10);
  const RunResult found = run(problem, solver, vec({1, 1}), {});
  CHECK(found.converged);
  const Eigen::VectorXd exact = Eigen::Matrix2d(a.transpose() * a).inverse() * (a.transpose() * b);
  CHECK((found.x - exact).norm() < 1e-9);
  CHECK(calls == found.progress.evaluations);
  // a start with forward differences, steps, central differences, and one pair for the check
  CHECK(calls <= 3 + 2 + 2 * 4 + 2 + 1);
}

TEST_CASE("sparing second differences call where central first ones did, and once for each pair") {
  const auto f = [](const Eigen::VectorXd& p) { return std::exp(p[0]) * p[1] * p[1] + p[2] * p[0]; };
  const Eigen::VectorXd x = vec({0.7, 2, -1.5});
  const Bounds bounds = no_bounds(3);
  const Eigen::MatrixXd first = difference_points(x, {0, 1, 2}, bounds, Differences::central), second = sparing_second_points(x, bounds);
  CHECK(first.cols() == 6);
  int fresh = 0;
  for (Eigen::Index k = 0; k < second.cols(); ++k) {
    bool known = second.col(k) == x;
    for (Eigen::Index j = 0; j < first.cols(); ++j) known = known || second.col(k) == first.col(j);
    fresh += !known;
  }
  CHECK(fresh == 3);
  double rounding = 0;
  Eigen::MatrixXd out, noise;
  REQUIRE(sparing_second_differences(f, x, bounds, rounding, out, noise));
  Eigen::MatrixXd exact(3, 3);
  exact << std::exp(0.7) * 4, std::exp(0.7) * 4, 1, std::exp(0.7) * 4, std::exp(0.7) * 2, 0, 1, 0, 0;
  CHECK((out - exact).cwiseAbs().maxCoeff() < 1e-3);
  CHECK(((out - exact).cwiseAbs().array() <= noise.array() + 1e-4).all());
}

TEST_CASE("first differences of each kind are as accurate as they say, within bounds") {
  const VectorFunction f = [](const Eigen::VectorXd& p) { return Eigen::VectorXd::Constant(1, std::sin(3 * p[0])); };
  for (const double low : {-1e6, 0.4}) {
    Bounds bounds = no_bounds(1);
    bounds.lower[0] = low;
    const Eigen::VectorXd x = vec({0.4});
    Eigen::VectorXd out(1);
    const double exact = 3 * std::cos(1.2);
    for (const auto& [kind, error] : {std::pair{Differences::forward, 1e-6}, {Differences::central, 1e-9}, {Differences::fine, 1e-11}}) {
      REQUIRE(first_difference(f, x, f(x), 0, bounds, kind, out));
      CHECK(std::fabs(out[0] - exact) < (low < 0 ? error : 1e-6));
    }
  }
}

TEST_CASE("where there are no values on one side, differences look at the other") {
  const double nothing = std::numeric_limits<double>::quiet_NaN();
  for (const double side : {-1.0, 1.0}) {
    // values on one side of the point in each parameter only, and at the point itself
    const Eigen::VectorXd x = vec({0.7, 2});
    const auto f = [&](const Eigen::VectorXd& p) {
      const bool inside = (side * (p - x).array() >= 0).all();
      return inside ? std::exp(p[0]) * p[1] * p[1] : nothing;
    };
    const VectorFunction as_vector = [&](const Eigen::VectorXd& p) { return Eigen::VectorXd::Constant(1, f(p)); };
    const Bounds bounds = no_bounds(2);
    Eigen::VectorXd out(1);
    const double slopes[] = {std::exp(0.7) * 4, std::exp(0.7) * 4};
    for (int i = 0; i < 2; ++i)
      for (const auto& [kind, error] : {std::pair{Differences::forward, 1e-5}, {Differences::central, 1e-7}, {Differences::fine, 1e-7}}) {
        REQUIRE(first_difference(as_vector, x, as_vector(x), i, bounds, kind, out));
        CHECK(std::fabs(out[0] - slopes[i]) < error);
      }
    Eigen::MatrixXd exact(2, 2), second, noise;
    exact << std::exp(0.7) * 4, std::exp(0.7) * 4, std::exp(0.7) * 4, std::exp(0.7) * 2;
    double rounding = 0;
    REQUIRE(second_differences(f, x, bounds, rounding, second, noise));
    // the stencil stands beside the point by a step, which is what its error goes with
    CHECK((second - exact).cwiseAbs().maxCoeff() < 2e-2);
    rounding = 0;
    REQUIRE(sparing_second_differences(f, x, bounds, rounding, second, noise));
    CHECK((second - exact).cwiseAbs().maxCoeff() < 2e-2);
    // a point that has no values on either side has no derivatives
    const auto alone = [&](const Eigen::VectorXd& p) { return p == x ? 1.0 : nothing; };
    rounding = 0;
    CHECK_FALSE(second_differences(alone, x, bounds, rounding, second, noise));
    CHECK_FALSE(first_difference([&](const Eigen::VectorXd& p) { return Eigen::VectorXd::Constant(1, alone(p)); }, x, vec({1}), 0, bounds, Differences::fine, out));
  }
}
