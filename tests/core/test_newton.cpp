#include <catch2/catch.hpp>
#include <algorithm>

#include "criterion/family.h"
#include "expression/term.h"
#include "fixture.h"
#include "problem/row_sum_problem.h"
#include "problem/value_function_problem.h"
#include "solver/newton.h"
#include "step/quadratic_step.h"
#include "solver/run_loop.h"
#include "solver/smoothed_newton.h"

using namespace tundrel;

namespace {

RunResult run_newton(Problem& problem, const Eigen::VectorXd& start) {
  Newton solver({});
  return run(problem, solver, start, {});
}

double valley(const Eigen::VectorXd& x) { return 100 * std::pow(x[1] - x[0] * x[0], 2) + std::pow(1 - x[0], 2); }

// Location by absolute values: the weighted median.
struct Location {
  std::vector<double> y, w;
  std::unique_ptr<RowSumProblem> problem() const {
    Graph g;
    const Term a{&g, g.parameter(0)}, value{&g, g.column(0)}, weight{&g, g.column(1)};
    RowLoss loss;
    loss.kink = (weight * (value - a)).node;
    loss.reference = (weight * value).node;
    loss.expected = {{loss.kink, g.constant(1)}};
    return std::make_unique<RowSumProblem>(std::move(g), loss, Columns{{y.data(), w.data()}, static_cast<long>(y.size())}, no_bounds(1), 1);
  }
  double median() const {
    std::vector<std::pair<double, double>> sorted;
    double total = 0, below = 0;
    for (std::size_t i = 0; i < y.size(); ++i) sorted.push_back({y[i], w[i]}), total += w[i];
    std::sort(sorted.begin(), sorted.end());
    for (const auto& [value, weight] : sorted)
      if ((below += weight) > total / 2) return value;
    return 0;
  }
};

RunResult run_smoothed(Problem& problem, const Eigen::VectorXd& start) {
  SmoothedNewton solver({});
  return run(problem, solver, start, {});
}

}  // namespace

TEST_CASE("a step within a region is the best one, convex or not") {
  Eigen::MatrixXd h(2, 2);
  Eigen::VectorXd g(2);
  g << 1, -2;
  for (double corner : {3.0, -3.0}) {
    h << corner, 0.4, 0.4, 1.5;
    const double radius = 0.3;
    const Eigen::VectorXd step = step_within(g, h, radius);
    CHECK(step.norm() <= radius * 1.06);
    const auto model = [&](const Eigen::VectorXd& s) { return g.dot(s) + 0.5 * s.dot(h * s); };
    for (int k = 0; k < 360; ++k) {
      Eigen::VectorXd other(2);
      other << std::cos(k * 0.0174532925), std::sin(k * 0.0174532925);
      CHECK(model(step) <= model(other * step.norm()) + 1e-3);
    }
  }
  // At a saddle without slope the step follows the curve down.
  h << 1, 0, 0, -1;
  const Eigen::VectorXd down = step_within(Eigen::VectorXd::Zero(2), h, 2);
  CHECK(std::fabs(down[1]) == Approx(2));
  // Where there is slope and no curvature it reaches the end of the region, whichever of several such directions slopes.
  Eigen::MatrixXd flat = Eigen::MatrixXd::Zero(3, 3);
  flat(1, 1) = 2;
  for (int sloping : {0, 2}) {
    Eigen::VectorXd slope = Eigen::VectorXd::Unit(3, sloping);
    slope[1] = 0.2;
    const Eigen::VectorXd out = step_within(slope, flat, 0.7);
    CHECK(out.norm() == Approx(0.7).epsilon(0.06));
    CHECK(out[sloping] < -0.6);
    CHECK(std::fabs(out[2 - sloping]) < 1e-12);
  }
}

TEST_CASE("Newton finds the end of a curved valley from values alone, and within bounds") {
  ValueFunctionProblem free(valley, {}, no_bounds(2));
  const RunResult found = run_newton(free, vec({-1.2, 1}));
  CHECK(found.converged);
  CHECK((found.x - vec({1, 1})).norm() < 1e-6);

  Bounds bounds = no_bounds(2);
  bounds.upper[0] = 0.5;
  ValueFunctionProblem limited(valley, {}, bounds);
  const RunResult held = run_newton(limited, vec({-1.2, 1}));
  CHECK(held.converged);
  CHECK(held.x[0] == 0.5);
  CHECK(held.x[1] == Approx(0.25).epsilon(1e-6));
}

TEST_CASE("a saddle is no optimum, and a value that falls without end diverges") {
  const auto saddle = [](const Eigen::VectorXd& x) { return x[0] * x[0] - x[1] * x[1] + 0.1 * std::pow(x[1], 4); };
  ValueFunctionProblem problem(saddle, {}, no_bounds(2));
  const RunResult found = run_newton(problem, vec({1, 0}));
  CHECK(found.converged);
  CHECK(std::fabs(found.x[1]) == Approx(std::sqrt(5.0)).epsilon(1e-6));
  ValueFunctionProblem endless([](const Eigen::VectorXd& x) { return std::exp(-x[0]); }, {}, no_bounds(1));
  const RunResult away = run_newton(endless, vec({1}));
  CHECK_FALSE(away.converged);
}

TEST_CASE("points without finite value are refused and the walk goes on") {
  const auto fenced = [](const Eigen::VectorXd& x) { return x[0] > 0 ? x[0] - std::log(x[0]) : NAN; };
  ValueFunctionProblem problem(fenced, {}, no_bounds(1));
  const RunResult found = run_newton(problem, vec({50}));
  CHECK(found.converged);
  CHECK(found.x[0] == Approx(1).epsilon(1e-7));
}

TEST_CASE("sums of absolute values end at the weighted median exactly") {
  Location location;
  for (int i = 0; i < 101; ++i) {
    location.y.push_back(std::sin(17.0 * i) * std::exp(std::cos(5.0 * i)));
    location.w.push_back(0.2 + std::fabs(std::cos(3.0 * i)));
  }
  const RunResult found = run_smoothed(*location.problem(), vec({4}));
  CHECK(found.converged);
  CHECK(found.x[0] == Approx(location.median()).epsilon(1e-13));
}

TEST_CASE("tied readings share one kink, and a median between readings is an optimum") {
  Location ties;
  for (int i = 0; i < 91; ++i) {
    ties.y.push_back(0.1 * std::round(10 * std::sin(7.0 * i)));
    ties.w.push_back(1);
  }
  const RunResult tied = run_smoothed(*ties.problem(), vec({0.7}));
  CHECK(tied.converged);
  CHECK(tied.x[0] == Approx(ties.median()).margin(1e-12));
  Location even{{1, 2, 5, 9}, {1, 1, 1, 1}};
  const RunResult between = run_smoothed(*even.problem(), vec({8}));
  CHECK(between.converged);
  CHECK(between.value == Approx(11).epsilon(1e-12));
}

TEST_CASE("a kinked run that stops early does not claim an optimum") {
  Location location{{1, 2, 4, 8, 16}, {1, 1, 1, 1, 1}};
  const auto problem = location.problem();
  CHECK_FALSE(verify(*problem, vec({4.001})).converged);
  CHECK(verify(*problem, vec({4})).converged);
  CHECK_FALSE(verify(*problem, vec({8})).converged);
}
