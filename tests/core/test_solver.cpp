#include <catch2/catch.hpp>
#include <numeric>

#include "fixture.h"
#include "solver/snapshot.h"
#include "solver/levenberg_marquardt.h"
#include "step/linear_step.h"
#include "solver/run_loop.h"

using namespace tundrel;

namespace {

RunResult solve(Problem& problem, const Eigen::VectorXd& start, Budget budget = Budget()) {
  LevenbergMarquardt solver({});
  return run(problem, solver, start, budget);
}

}  // namespace

TEST_CASE("the answer satisfies the normal equations to rounding") {
  const DecayData data(200);
  const auto problem = decay_problem(data, no_bounds(2));
  const RunResult result = solve(*problem, vec({1, 1}));
  CHECK(result.converged);
  CHECK(result.verification.gradient_norm < 1e-12);
  CHECK(result.x[0] == Approx(5).epsilon(0.01));
}

TEST_CASE("a closed bound is met exactly, an open one never") {
  const DecayData data(200);
  for (bool open : {false, true}) {
    Bounds bounds = no_bounds(2);
    bounds.upper[0] = 4;  // the answer without bounds is near 5
    bounds.upper_open[0] = open;
    const auto problem = decay_problem(data, bounds);
    const RunResult result = solve(*problem, vec({1, 1}));
    INFO(open);
    CHECK(result.converged);
    if (open) {
      CHECK(result.x[0] < 4);
      CHECK(result.x[0] > 4 - 1e-8);
    } else {
      CHECK(result.x[0] == 4);
    }
    // At the bound the other parameter is the best for a = 4: its own equation holds.
    const Linearisation at = problem->squares()->linearise(result.x);
    const Eigen::VectorXd slope = at.factor.transpose() * at.projected;
    CHECK(std::fabs(slope[1]) < 1e-7 * at.factor.col(1).norm() * at.residual_norm());
    CHECK(slope[0] < 0);
  }
}

TEST_CASE("budgets are kept and never called convergence") {
  const DecayData data(200);
  const auto problem = decay_problem(data, no_bounds(2));
  Budget budget;
  budget.evaluations = 3;
  const RunResult result = solve(*problem, vec({1, 5}), budget);
  CHECK(result.progress.evaluations == 3);
  CHECK(result.reason == StopReason::evaluations);
  CHECK_FALSE(result.converged);
}

TEST_CASE("a plateau on which a parameter is not felt is stalled") {
  const DecayData data(50);
  Bounds bounds = no_bounds(2);
  bounds.typical[1] = 1e4;
  const auto problem = decay_problem(data, bounds);
  const RunResult result = solve(*problem, vec({1, 1e4}));  // the curve is flat from the second row on
  CHECK_FALSE(result.converged);
  CHECK(result.reason == StopReason::stalled);
  CHECK(result.verification.dead == std::vector<int>{1});
}

TEST_CASE("an interrupt keeps the best point so far") {
  const DecayData data(200);
  const auto problem = decay_problem(data, no_bounds(2));
  LevenbergMarquardt solver({});
  int looks = 0;
  problem->work.halted = [&] { return ++looks > 3; };
  const RunResult result = run(*problem, solver, vec({1, 1}), Budget());
  CHECK(result.reason == StopReason::interrupted);
  CHECK(result.value == result.trace.back().value);
  CHECK(result.value < result.trace.front().value);
}

TEST_CASE("a stored solver goes on bit for bit") {
  const DecayData data(200);
  const auto problem = decay_problem(data, no_bounds(2));
  LevenbergMarquardt whole({});
  whole.start(*problem, vec({1, 1}));
  for (int stop_at = 1; whole.status().reason == StopReason::none; ++stop_at) {
    Snapshot store;
    whole.visit(store);
    store.put_back = true;
    LevenbergMarquardt restored({});
    restored.visit(store);
    restored.iterate(*problem);
    whole.iterate(*problem);
    INFO("after iteration " << stop_at);
    CHECK(restored.status().x == whole.status().x);
    CHECK(restored.status().value == whole.status().value);
    CHECK(restored.status().reason == whole.status().reason);
    REQUIRE(stop_at < 100);
  }
}

TEST_CASE("a step within a radius has that length, and is no longer where there is no need") {
  const Eigen::MatrixXd a = (Eigen::MatrixXd(3, 2) << 1, 2, 0, 1e-3, 3, 1).finished();
  const LinearStep step(a, {0, 1}, vec({1, 1}), vec({1, 1, 1}));
  const double whole = step.undamped().norm();
  CHECK(step.within(2 * whole) == step.undamped());
  for (double share : {0.5, 1e-2, 1e-6})
    CHECK(step.within(share * whole).norm() == Approx(share * whole).epsilon(0.06));
}

TEST_CASE("a triangle's step with curvature solves the equations that it stands for, or there is none") {
  const Eigen::MatrixXd whole = (Eigen::MatrixXd(3, 3) << 2, -1, 4, 0, 1e-3, 0.5, 0, 0, 3).finished();
  const Eigen::VectorXd scale = vec({2, 1e-2, 5}), b = vec({1, -2, 0.5});
  for (const std::vector<int>& columns : {std::vector<int>{0, 1, 2}, std::vector<int>{0, 2}, std::vector<int>{1}}) {
    const auto n = static_cast<Eigen::Index>(columns.size());
    Eigen::MatrixXd a(3, n);
    for (Eigen::Index k = 0; k < n; ++k) a.col(k) = whole.col(columns[k]) / scale[columns[k]];
    const Eigen::MatrixXd half = Eigen::MatrixXd::Random(n, n), square = a.transpose() * a;
    const Eigen::MatrixXd extra = 0.1 * square.diagonal().minCoeff() * (half + half.transpose());
    const LinearStep step(whole, columns, scale, b);
    Eigen::VectorXd p;
    if (step.with_curvature(1e-6 * extra, p)) CHECK(((square + 1e-6 * extra) * p + a.transpose() * b).norm() < 1e-8 * (a.transpose() * b).norm());
    CHECK(step.with_curvature(square, p));
    CHECK((2 * square * p + a.transpose() * b).norm() < 1e-8 * (a.transpose() * b).norm());
    CHECK_FALSE(step.with_curvature(-2 * square, p));
  }
}

TEST_CASE("steps of many parameters solve the equations that they stand for, of triangles and others, damped and curved") {
  for (int rows : {12, 30}) {
    Eigen::MatrixXd whole = Eigen::MatrixXd::Random(rows, 14);
    if (rows == 12) whole = Eigen::MatrixXd(whole.topLeftCorner(12, 12).triangularView<Eigen::Upper>()) + 2 * Eigen::MatrixXd::Identity(12, 12);
    const int all = static_cast<int>(whole.cols());
    const Eigen::VectorXd b = Eigen::VectorXd::Random(rows), scale = Eigen::VectorXd::Random(all).array() + 2;
    for (int first : {0, 2}) {
      std::vector<int> columns;
      for (int k = first; k < all; ++k) columns.push_back(k);
      const auto n = static_cast<Eigen::Index>(columns.size());
      Eigen::MatrixXd a(rows, n);
      for (Eigen::Index k = 0; k < n; ++k) a.col(k) = whole.col(columns[k]) / scale[columns[k]];
      const Eigen::MatrixXd square = a.transpose() * a;
      const Eigen::VectorXd slope = a.transpose() * b;
      const LinearStep step(whole, columns, scale, b);
      CHECK(step.rank() == n);
      CHECK(step.undetermined().cols() == 0);
      CHECK((square * step.undamped() + slope).norm() < 1e-12 * slope.norm());
      CHECK(step.reducible() == Approx((a * step.undamped()).norm()).epsilon(1e-10));
      for (double share : {0.7, 0.1, 1e-4}) {
        const double radius = share * step.undamped().norm(), damping = step.damping_within(radius);
        const Eigen::VectorXd p = step.within(radius);
        CHECK(p.norm() == Approx(radius).epsilon(0.06));
        CHECK((square * p + damping * p + slope).norm() < 1e-12 * slope.norm() * (1 + damping));
        CHECK((step.solve(damping, -slope) - p).norm() < 1e-10 * p.norm());
      }
      Eigen::VectorXd p;
      CHECK(step.with_curvature(square, p));
      CHECK((2 * square * p + slope).norm() < 1e-12 * slope.norm());
      CHECK_FALSE(step.with_curvature(-2 * square, p));
    }
  }
}

TEST_CASE("of many parameters, a direction that the data do not determine is found, and the step keeps out of it") {
  Eigen::MatrixXd a = Eigen::MatrixXd::Random(30, 11);
  a.col(4) = a.col(2) - 3 * a.col(9);
  std::vector<int> columns(11);
  std::iota(columns.begin(), columns.end(), 0);
  const LinearStep step(a, columns, Eigen::VectorXd::Ones(11), Eigen::VectorXd::Random(30));
  CHECK(step.rank() == 10);
  REQUIRE(step.undetermined().cols() == 1);
  CHECK((a * step.undetermined()).norm() < 1e-12);
  CHECK(std::fabs(step.undetermined().col(0).dot(step.undamped())) < 1e-12);
}

TEST_CASE("the step of a triangle within a radius is damped as the normal equations say, some columns left out or not") {
  const Eigen::MatrixXd whole = (Eigen::MatrixXd(3, 3) << 2, -1, 4, 0, 1e-3, 0.5, 0, 0, 3).finished();
  const Eigen::VectorXd scale = vec({2, 1e-2, 5}), b = vec({1, -2, 0.5});
  for (const std::vector<int>& columns : {std::vector<int>{0, 1, 2}, std::vector<int>{0, 2}}) {
    Eigen::MatrixXd a(3, columns.size());
    for (std::size_t k = 0; k < columns.size(); ++k) a.col(k) = whole.col(columns[k]) / scale[columns[k]];
    const LinearStep step(whole, columns, scale, b);
    CHECK((a.transpose() * (a * step.undamped() + b)).norm() < 1e-15 * a.squaredNorm() * step.undamped().norm());
    for (double share : {0.7, 0.1, 1e-4}) {
      const double radius = share * step.undamped().norm(), damping = step.damping_within(radius);
      const Eigen::VectorXd p = step.within(radius);
      CHECK(damping > 0);
      CHECK(p.norm() == Approx(radius).epsilon(0.06));
      CHECK((a.transpose() * (a * p + b) + damping * p).norm() < 1e-12 * (a.transpose() * b).norm() * (1 + damping));
    }
  }
}
