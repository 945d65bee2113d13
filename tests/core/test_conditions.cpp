#include <catch2/catch.hpp>

#include "expression/term.h"
#include "fixture.h"
#include "problem/value_function_problem.h"
#include "solver/run_loop.h"
#include "solver/solver_table.h"
#include "verification/verification.h"

using namespace tundrel;

namespace {

double bowl(const Eigen::VectorXd& x) { return x[0] * x[0] + 2 * x[1] * x[1]; }

// Of two parameters: conditions built from `write`, equalities first.
std::shared_ptr<const JointConditions> conditions(const std::function<std::vector<Term>(Term, Term)>& write, int n_equalities) {
  Graph g;
  std::vector<int> nodes;
  for (const Term& t : write({&g, g.parameter(0)}, {&g, g.parameter(1)})) nodes.push_back(t.node);
  return std::make_shared<JointConditions>(std::move(g), nodes, n_equalities, 2);
}

RunResult solve_by(const char* solver, Problem& problem, const Eigen::VectorXd& start) {
  SolverSettings settings;
  settings.number = [](const char* key) { return std::string(key) == "tolerance" ? 1e-10 : 1.0; };
  const auto made = make_solver(solver, settings);
  return run(problem, *made, start, {});
}

}  // namespace

TEST_CASE("a linear inequality: the foot of the perpendicular, and its multiplier") {
  ValueFunctionProblem problem(bowl, {}, no_bounds(2));
  // x + y >= 3: y = x / 2, so x = 2, y = 1, multiplier 2 x = 4
  problem.joint = conditions([](Term x, Term y) { return std::vector<Term>{x + y - 3}; }, 0);
  const RunResult found = solve_by("sqp", problem, vec({5, 5}));
  CHECK(found.converged);
  CHECK((found.x - vec({2, 1})).norm() < 1e-7);
  CHECK(found.verification.multipliers[0] == Approx(4).epsilon(1e-6));
  // A simplex flattens against a condition: it comes near, and only claims what was verified.
  const RunResult corners = solve_by("nelder_mead", problem, vec({5, 5}));
  CHECK(corners.value == Approx(6).epsilon(1e-6));
  CHECK((!corners.converged || (corners.x - vec({2, 1})).norm() < 1e-5));
}

TEST_CASE("a condition that is not active has no multiplier and changes nothing") {
  ValueFunctionProblem problem(bowl, {}, no_bounds(2));
  problem.joint = conditions([](Term x, Term y) { return std::vector<Term>{x + y + 3}; }, 0);
  const RunResult found = solve_by("sqp", problem, vec({5, 5}));
  CHECK(found.converged);
  CHECK(found.x.norm() < 1e-7);
  CHECK(found.verification.multipliers[0] == 0);
}

TEST_CASE("a circle as an equality, from a start that misses it") {
  ValueFunctionProblem problem([](const Eigen::VectorXd& x) { return x[0] + x[1]; }, {}, no_bounds(2));
  problem.joint = conditions([](Term x, Term y) { return std::vector<Term>{square(x) + square(y) - 2}; }, 1);
  const RunResult found = solve_by("sqp", problem, vec({3, -0.5}));
  CHECK(found.converged);
  CHECK((found.x - vec({-1, -1})).norm() < 1e-7);
}

TEST_CASE("conditions that cannot hold together end as infeasible, and claim nothing") {
  ValueFunctionProblem problem(bowl, {}, no_bounds(2));
  problem.joint = conditions([](Term x, Term y) { return std::vector<Term>{x + y - 3, -(x + y) - 3}; }, 0);
  const RunResult found = solve_by("sqp", problem, vec({1, 1}));
  CHECK_FALSE(found.converged);
  CHECK(found.reason == StopReason::infeasible);
}

TEST_CASE("second derivatives of conditions are added up with their weights") {
  const auto two = conditions([](Term x, Term y) { return std::vector<Term>{square(x) * y, exp(x + 2.0 * y)}; }, 0);
  const Eigen::MatrixXd curvature = two->curvature(vec({0.5, 0.2}), vec({2, 3}));
  const double e = std::exp(0.9);
  CHECK(curvature(0, 0) == Approx(2 * 2 * 0.2 + 3 * e));
  CHECK(curvature(0, 1) == Approx(2 * 2 * 0.5 + 3 * 2 * e));
  CHECK(curvature(1, 0) == curvature(0, 1));
  CHECK(curvature(1, 1) == Approx(3 * 4 * e));
}

TEST_CASE("a steep condition does not hide a slope along it") {
  // The value falls a million times faster across the condition than along it: what is left along it still
  // counts, measured against the curvature there.
  const auto steep = [](const Eigen::VectorXd& x) { return 1e8 * x[0] + (x[1] - 3) * (x[1] - 3); };
  ValueFunctionProblem problem(steep, {}, no_bounds(2));
  problem.joint = conditions([](Term x, Term y) { return std::vector<Term>{x + 0.0 * y}; }, 0);
  CHECK_FALSE(verify(problem, vec({0, 2})).converged);
  CHECK(verify(problem, vec({0, 3})).converged);
}

TEST_CASE("a value that falls without end along a condition is no optimum") {
  ValueFunctionProblem problem([](const Eigen::VectorXd& x) { return std::exp(-x[0]) + x[1] * x[1]; }, {}, no_bounds(2));
  problem.joint = conditions([](Term x, Term y) { return std::vector<Term>{x - y}; }, 0);
  CHECK_FALSE(solve_by("sqp", problem, vec({1, 0})).converged);
}

TEST_CASE("steps that were tried on the way to differences do not hide a slope") {
  // of a value that is linear nothing bends, however far its differences reach
  Bounds bounds = no_bounds(2);
  Eigen::VectorXd x = vec({0.006163, 1});
  bounds.typical = x;
  const auto outside = [&](double b) { return -3 * x[0] * x[0] + 2 * x[0] * b - b * b + 1 <= 0; };
  double low = 0.9, high = 1.2;
  for (int k = 0; k < 100; ++k) (outside((low + high) / 2) ? high : low) = (low + high) / 2;
  x[1] = low;
  ValueFunctionProblem problem([](const Eigen::VectorXd& p) { return p[0] - p[1]; }, {}, bounds);
  Graph g;
  const Term a{&g, g.parameter(0)}, b{&g, g.parameter(1)};
  const int node = (-3.0 * a * a + 2.0 * a * b - b * b + 1.0).node;
  problem.joint = std::make_shared<JointConditions>(g, std::vector<int>{node}, 0, 2);
  // the optimum lies at (0, 1)
  const Verification near = verify(problem, x);
  CHECK(near.gradient_norm > 1e-3);
  CHECK_FALSE(near.converged);
  CHECK(verify(problem, vec({0, 1})).converged);
}
