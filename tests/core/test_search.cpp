// What each global solver promises of itself.
#include <catch2/catch.hpp>
#include <atomic>
#include <cmath>
#include <set>

#include "fixture.h"
#include "problem/value_function_problem.h"
#include "solver/annealing.h"
#include "solver/cma_es.h"
#include "solver/differential_evolution.h"
#include "solver/grid_scan.h"
#include "step/linear_step.h"
#include "solver/restarts.h"
#include "solver/root.h"
#include "solver/run_loop.h"
#include "threads.h"

using namespace tundrel;

namespace {

std::unique_ptr<Problem> posed(ValueFunctionProblem::Value value, int n, double low, double high) {
  auto problem = std::make_unique<ValueFunctionProblem>(std::move(value), VectorFunction(), no_bounds(n));
  problem->box.lower = Eigen::VectorXd::Constant(n, low);
  problem->box.upper = Eigen::VectorXd::Constant(n, high);
  problem->box.log.assign(n, false);
  return problem;
}

RunResult searched_within(Problem& problem, Solver& solver, double evaluations) {
  Budget budget;
  budget.evaluations = evaluations;
  return run(problem, solver, Eigen::VectorXd::Constant(problem.size(), 0.5), budget);
}

// An ellipsoid whose axes differ by a factor of a thousand, turned by a rotation that mixes all coordinates.
struct Ellipsoid {
  Eigen::MatrixXd turn;
  explicit Ellipsoid(int n, bool turned) : turn(Eigen::MatrixXd::Identity(n, n)) {
    for (int i = 0; turned && i + 1 < n; ++i) {
      Eigen::MatrixXd plane = Eigen::MatrixXd::Identity(n, n);
      plane(i, i) = plane(i + 1, i + 1) = std::cos(0.7);
      plane(i, i + 1) = -std::sin(0.7);
      plane(i + 1, i) = std::sin(0.7);
      turn *= plane;
    }
  }
  double operator()(const Eigen::VectorXd& x) const {
    const Eigen::VectorXd y = turn * (x.array() - 1).matrix();
    double sum = 0;
    for (int i = 0; i < y.size(); ++i) sum += std::pow(1000.0, 2.0 * i / (y.size() - 1)) * y[i] * y[i];
    return sum;
  }
};

}  // namespace

TEST_CASE("covariance adaptation learns a narrow valley, whichever way it lies") {
  double evaluations[2];
  for (bool turned : {false, true}) {
    const auto problem = posed(Ellipsoid(6, turned), 6, -4, 5);
    CovarianceAdaptation solver({0, 0.3, 1, 0}, {3});
    const RunResult result = searched_within(*problem, solver, 40000);
    INFO((turned ? "turned" : "along the axes"));
    CHECK((result.x.array() - 1).abs().maxCoeff() < 1e-6);
    evaluations[turned] = static_cast<double>(result.progress.evaluations);
    // The distribution ends long where the valley is.
    const Eigen::MatrixXd spread = solver.spread();
    CHECK(spread.rows() == 6);
    CHECK(spread.cols() == 7);
    const Eigen::VectorXd widths = spread.rightCols(6).colwise().norm().transpose();
    CHECK(widths.maxCoeff() / widths.minCoeff() > 50);
  }
  CHECK(evaluations[1] < 1.5 * evaluations[0]);
}

TEST_CASE("covariance adaptation sees ranks only: a monotone change of the values changes nothing") {
  const Ellipsoid plain(3, true);
  const auto a = posed(plain, 3, -4, 5);
  const auto b = posed([&](const Eigen::VectorXd& x) { return 7 + std::log1p(plain(x)); }, 3, -4, 5);
  CovarianceAdaptation one({0, 0.3, 4, 9}, {5}), other({0, 0.3, 4, 9}, {5});
  one.start(*a, vec({0, 0, 0}));
  other.start(*b, vec({0, 0, 0}));
  for (int round = 0; round < 60; ++round) {
    one.iterate(*a);
    other.iterate(*b);
    REQUIRE(*one.members() == *other.members());
  }
}

TEST_CASE("an optimum on a side, or in a corner, of the box is reached") {
  const auto slope = [](const Eigen::VectorXd& x) { return x[0] + 2 * x[1] * x[1]; };
  for (int kind = 0; kind < 2; ++kind) {
    const auto problem = posed(slope, 2, -3, 4);
    CovarianceAdaptation cma({0, 0.3, 2, 9}, {1});
    DifferentialEvolution evolution({0, 2}, {1});
    Solver& solver = kind == 0 ? static_cast<Solver&>(cma) : evolution;
    const RunResult result = searched_within(*problem, solver, 20000);
    CHECK(result.x[0] == Approx(-3).margin(1e-6));
    CHECK(std::fabs(result.x[1]) < 1e-3);
  }
}

TEST_CASE("a larger population follows each search that has ended") {
  const auto problem = posed([](const Eigen::VectorXd& x) { return x.squaredNorm(); }, 2, -4, 5);
  CovarianceAdaptation solver({0, 0.3, 3, 9}, {1});
  solver.start(*problem, vec({1, 1}));
  std::set<long> sizes;
  while (solver.status().reason == StopReason::none) {
    solver.iterate(*problem);
    sizes.insert(solver.members()->cols());
  }
  CHECK(sizes == std::set<long>{6, 12, 24});
  CHECK(solver.status().reason == StopReason::value);
  CHECK(std::string(solver.status().action) == "searches agree");
}

TEST_CASE("differential evolution solves what acts separately in every coordinate") {
  const auto rastrigin = [](const Eigen::VectorXd& x) {
    double sum = 0;
    for (int i = 0; i < x.size(); ++i) sum += x[i] * x[i] - 10 * std::cos(2 * 3.14159265358979323846 * x[i]) + 10;
    return sum;
  };
  for (double seed : {1, 2, 3}) {
    const auto problem = posed(rastrigin, 5, -3, 7);
    DifferentialEvolution solver({0, 2}, {seed});
    const RunResult result = searched_within(*problem, solver, 60000);
    CHECK(result.value < 1e-8);
    CHECK(result.reason == StopReason::value);
  }
}

TEST_CASE("differential evolution never loses its best, and stays in the box") {
  const auto problem = posed(Ellipsoid(3, true), 3, -4, 5);
  DifferentialEvolution solver({20, 2}, {8});
  solver.start(*problem, vec({0, 0, 0}));
  double best = std::numeric_limits<double>::infinity();
  for (int round = 0; round < 80; ++round) {
    solver.iterate(*problem);
    CHECK(solver.status().value <= best);
    best = solver.status().value;
    CHECK(solver.members()->minCoeff() >= -4);
    CHECK(solver.members()->maxCoeff() <= 5);
  }
}

TEST_CASE("a grid visits every one of its points once, and keeps the best") {
  std::set<std::pair<double, double>> seen;
  const auto problem = posed(
      [&](const Eigen::VectorXd& x) {
        seen.insert({x[0], x[1]});
        return std::pow(x[0] - 2, 2) + std::pow(x[1] + 1, 2);
      },
      2, -4, 5);
  GridScan solver({10}, {1});
  const RunResult result = searched_within(*problem, solver, 1e6);
  CHECK(seen.size() == 100);
  CHECK(result.progress.evaluations == 100);
  CHECK(result.x == vec({2, -1}));
}

TEST_CASE("annealing accepts less and less, and freezes") {
  const auto problem = posed([](const Eigen::VectorXd& x) { return x.squaredNorm() + 3 * std::sin(5 * x[0]); }, 2, -4, 5);
  Annealing solver({0.85, 8, 20}, {2});
  solver.start(*problem, vec({3, 3}));
  std::vector<double> lengths;
  while (solver.status().reason == StopReason::none && lengths.size() < 20000) {
    solver.iterate(*problem);
    lengths.push_back(solver.status().step_norm);
  }
  CHECK(solver.status().reason != StopReason::none);
  CHECK(lengths.back() < 0.02 * lengths[100]);
}

TEST_CASE("points without a finite value are refused, counted and never the best") {
  long refused = 0;
  const auto problem = posed(
      [&](const Eigen::VectorXd& x) {
        if (x[0] < 0) {
          ++refused;
          return std::numeric_limits<double>::quiet_NaN();
        }
        return std::pow(x[0] - 0.1, 2) + x[1] * x[1];
      },
      2, -4, 5);
  CovarianceAdaptation solver({0, 0.3, 2, 9}, {4});
  const RunResult result = searched_within(*problem, solver, 20000);
  CHECK(result.x[0] == Approx(0.1).margin(1e-4));
  CHECK(result.progress.refused == refused);
  CHECK(refused > 0);
}

TEST_CASE("searches agree only when they come back to the best, by place or by value") {
  Restarts restarts;
  restarts.set_range({{10, 0}, {20, 0}, {15, 0}});
  const Eigen::VectorXd here = vec({0.2, 0.2}), there = vec({0.7, 0.7});
  restarts.ended(here, 5, here, 5);
  CHECK(restarts.agree(1));
  restarts.ended(there, 8, here, 5);  // worse: says nothing for it
  CHECK_FALSE(restarts.agree(2));
  restarts.ended(there, 3, there, 3);  // better: the count begins anew
  CHECK(restarts.agree(1));
  CHECK_FALSE(restarts.agree(2));
  restarts.ended(here, 3, there, 3);  // of equal value elsewhere
  CHECK(restarts.agree(2));
  CHECK(restarts.count() == 4);
}

TEST_CASE("merits rank by conditions first, but for what is allowed") {
  const Merit good{1, 0}, low{-5, 2}, lower{-6, 1};
  CHECK(good.better_than(low, 0));
  CHECK(lower.better_than(low, 0));
  CHECK(low.better_than(good, 3));
  CHECK_FALSE(good.better_than(good, 0));
}

TEST_CASE("work is shared out whole, on any number of threads") {
  for (int threads : {1, 2, 5}) {
    std::vector<int> done(100, 0);
    std::atomic<int> astray{0};
    share_out(100, threads, [&](int thread, int job) {
      if (thread < 0 || thread >= threads) ++astray;
      ++done[job];
    });
    CHECK(astray == 0);
    CHECK(std::all_of(done.begin(), done.end(), [](int d) { return d == 1; }));
  }
  share_out(0, 3, [](int, int) { FAIL("there is nothing to do"); });
}

TEST_CASE("damping and answers of a step fit together") {
  const Eigen::MatrixXd a = (Eigen::MatrixXd(3, 3) << 2, 1, 0, 0, 1, 3, 0, 0, 0.5).finished();
  const Eigen::VectorXd b = vec({1, -2, 0.5});
  const LinearStep step(a, {0, 1, 2}, Eigen::Vector3d::Ones(), b);
  const double damping = step.damping_within(0.3);
  CHECK(damping > 0);
  CHECK((step.solve(damping, -a.transpose() * b) - step.within(0.3)).norm() < 1e-12);
  const Eigen::MatrixXd whole = a.transpose() * a + damping * Eigen::MatrixXd::Identity(3, 3);
  CHECK((whole * step.within(0.3) + a.transpose() * b).norm() < 1e-10);
  CHECK(step.undetermined().cols() == 0);
  const LinearStep lame((Eigen::MatrixXd(3, 3) << 1, 1, 0, 0, 0, 1, 0, 0, 0).finished(), {0, 1, 2}, Eigen::Vector3d::Ones(), b);
  CHECK(lame.undetermined().cols() == 1);
}

TEST_CASE("the bend of residuals along a direction is that of their second differences") {
  const DecayData data(150);
  const auto problem = decay_problem(data, no_bounds(2));
  const Eigen::VectorXd x = vec({4, 0.6}), v = vec({0.7, -0.3});
  Eigen::VectorXd bend;
  REQUIRE(problem->squares()->bend_along(x, v, bend));
  // J' r_vv by hand
  Eigen::VectorXd expected = Eigen::VectorXd::Zero(2);
  for (std::size_t i = 0; i < data.x.size(); ++i) {
    const double e = std::exp(-x[1] * data.x[i]), t = data.x[i];
    const double second = 2 * v[0] * v[1] * (-t * e) + v[1] * v[1] * x[0] * t * t * e;  // of the fitted value
    expected[0] += e * second;
    expected[1] += -x[0] * t * e * second;
  }
  CHECK((bend - expected).norm() < 1e-10 * expected.norm());
}

TEST_CASE("a root of a cubic is found by every method, with fewer evaluations the higher its order") {
  const auto f = [](double x) { return RootPoint{x * x * x - 2 * x - 5, 3 * x * x - 2, 6 * x}; };
  long iterations[3];
  for (int k = 0; k < 3; ++k) {
    RootSearch search;
    search.method = static_cast<RootMethod>(k);
    search.lower = 0;
    search.upper = 10;
    search.start = 10;
    const RootAnswer answer = find_root(f, search);
    CHECK(answer.converged);
    CHECK(answer.x == Approx(2.0945514815423265).epsilon(1e-13));
    iterations[k] = answer.iterations;
  }
  CHECK(iterations[2] < iterations[1]);
}
