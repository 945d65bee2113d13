#include <catch2/catch.hpp>
#include <cmath>

#include "decompositions.h"
#include "fixture.h"
#include "inference/group_fits.h"
#include "solver/levenberg_marquardt.h"
#include "solver/arrow_levenberg_marquardt.h"
#include "problem/grouped_squares.h"
#include "solver/snapshot.h"

using namespace tundrel;

namespace {

SolverMaker levenberg_marquardt() {
  return [] { return std::make_unique<LevenbergMarquardt>(LevenbergMarquardt::Settings()); };
}

// Three decays one after the other: heights of their own, one rate, and a wave in place of noise.
struct Decays {
  std::vector<double> x, y;
  std::vector<long> first{0, 10, 25, 40};
  Decays() {
    for (int g = 0; g < 3; ++g)
      for (long i = first[g]; i < first[g + 1]; ++i) {
        const double at = 0.3 * static_cast<double>(i - first[g]);
        x.push_back(at);
        y.push_back((2 + g) * std::exp(-0.5 * at) + 0.01 * std::sin(5.0 * static_cast<double>(i)));
      }
  }
  Columns columns() const { return {{x.data(), y.data()}, static_cast<long>(x.size())}; }
};

Eigen::MatrixXd in_each(const Eigen::VectorXd& x) { return x.replicate(1, 3); }

// The rate comes first, then the heights.
std::unique_ptr<Problem> one_rate(const Decays& data, const Bounds& bounds = no_bounds(4)) {
  Eigen::MatrixXi place(2, 3);
  place << 1, 2, 3, 0, 0, 0;
  return std::make_unique<GroupedSquares>(decay_problem(DecayData(40), no_bounds(2)), data.columns(), Grouping(data.first, place, 4), bounds);
}

RunResult fit(Problem& problem, const Eigen::VectorXd& start, const Budget& budget = Budget()) {
  ArrowLevenbergMarquardt solver(1e-10);
  return run(problem, solver, start, budget);
}

}  // namespace

TEST_CASE("a group's fit is the one that it has alone") {
  const Decays data;
  const auto problem = decay_problem(DecayData(40), no_bounds(2));
  const auto fits = fit_groups(*problem, levenberg_marquardt(), in_each(vec({1, 1})), in_each(vec({1, 1})), data.columns(), data.first, Budget());
  REQUIRE(fits.size() == 3);
  for (int k = 0; k < 3; ++k) {
    CHECK(fits.converged[k]);
    // elsewhere in memory, so that no sum may begin where it happens to be aligned
    const std::vector<double> x(data.x.begin() + data.first[k], data.x.begin() + data.first[k + 1]);
    const std::vector<double> y(data.y.begin() + data.first[k], data.y.begin() + data.first[k + 1]);
    const Columns mine{{x.data(), y.data()}, static_cast<long>(x.size())};
    const auto alone = problem->clone();
    alone->read(mine);
    alone->expect(vec({1, 1}));
    CHECK(run(*alone, *levenberg_marquardt()(), vec({1, 1}), Budget()).x == fits.x.col(k));
  }
  problem->work.threads = 2;
  const auto threaded = fit_groups(*problem, levenberg_marquardt(), in_each(vec({1, 1})), in_each(vec({1, 1})), data.columns(), data.first, Budget());
  for (int k = 0; k < 3; ++k) CHECK(threaded.x.col(k) == fits.x.col(k));
}

TEST_CASE("with a shared rate the normal equations of all groups together hold") {
  const Decays data;
  const auto problem = one_rate(data);
  const RunResult all = fit(*problem, vec({1, 1, 1, 1}));
  REQUIRE(all.converged);
  CHECK(all.verification.gradient_norm < 1e-10);
  const double rate = all.x[0];
  CHECK(rate == Approx(0.5).margin(0.01));
  double of_rate = 0, size = 0;
  for (int k = 0; k < 3; ++k) {
    double of_height = 0;
    for (long i = data.first[k]; i < data.first[k + 1]; ++i) {
      const double shape = std::exp(-rate * data.x[i]), residual = data.y[i] - all.x[1 + k] * shape;
      of_height += residual * shape;
      of_rate += residual * all.x[1 + k] * data.x[i] * shape;
      size += data.y[i] * data.y[i];
    }
    CHECK(std::fabs(of_height) < 1e-10 * size);
  }
  CHECK(std::fabs(of_rate) < 1e-10 * size);

  SECTION("threads change nothing") {
    problem->work.threads = 3;
    const RunResult threaded = fit(*problem, vec({1, 1, 1, 1}));
    CHECK(threaded.x == all.x);
    CHECK(threaded.verification.errors == all.verification.errors);
  }
  SECTION("the dense triangle comes to the same answer and the same errors") {
    LevenbergMarquardt dense((LevenbergMarquardt::Settings()));
    const RunResult same = run(*problem, dense, vec({1, 1, 1, 1}), Budget());
    CHECK((same.x - all.x).norm() < 1e-8);
    const Eigen::MatrixXd factor = problem->squares()->linearise(all.x).factor;
    const Eigen::MatrixXd root = upper_solution(factor, Eigen::MatrixXd::Identity(4, 4));
    for (int i = 0; i < 4; ++i) CHECK(all.verification.errors[i] == Approx(root.row(i).norm()).epsilon(1e-9));
  }
  SECTION("a bound holds the shared parameter, and the heights are at their best beside it") {
    Bounds bounds = no_bounds(4);
    bounds.upper[0] = 0.4;
    const auto held = one_rate(data, bounds);
    const RunResult at = fit(*held, vec({0.3, 1, 1, 1}));
    CHECK(at.converged);
    CHECK(at.x[0] == 0.4);
    CHECK(std::isnan(at.verification.errors[0]));
    CHECK(at.verification.bound_multipliers[0] > 0);
    double up = 0, down = 0;
    for (long i = 0; i < 10; ++i) {
      const double shape = std::exp(-0.4 * data.x[i]);
      up += data.y[i] * shape;
      down += shape * shape;
    }
    CHECK(at.x[1] == Approx(up / down).epsilon(1e-9));
  }
  SECTION("out of budget is not converged, and the walk goes on from its stored state to the same bits") {
    Budget small;
    small.evaluations = 3;
    ArrowLevenbergMarquardt solver(1e-10);
    Walk first(*problem, solver);
    first.begin(vec({1, 1, 1, 1}));
    first.advance(small);
    const RunResult short_of = first.result();
    CHECK_FALSE(short_of.converged);
    CHECK(short_of.reason == StopReason::evaluations);
    CHECK(short_of.trace.size() > 1);
    Snapshot stored;
    solver.visit(stored);
    stored.put_back = true;
    ArrowLevenbergMarquardt other(1e-10);
    other.visit(stored);
    Progress progress = short_of.progress;
    progress.reason = StopReason::none;
    Walk second(*problem, other);
    second.go_on(progress);
    second.advance(Budget());
    const RunResult rest = second.result();
    CHECK(rest.converged);
    CHECK(rest.x == all.x);
  }
  SECTION("its own parameters of a group that does not determine them are open, and the others have their errors") {
    Decays few;
    // the second group: readings at which the height has no effect
    for (long i = 10; i < 25; ++i) few.x[static_cast<std::size_t>(i)] = 1e6;
    const auto open = one_rate(few);
    const RunResult rest = fit(*open, vec({1, 1, 1, 1}));
    CHECK(rest.converged);
    CHECK(std::isinf(rest.verification.errors[2]));
    CHECK(std::isfinite(rest.verification.errors[1]));
    CHECK(rest.verification.dead == std::vector<int>{2});
  }
}

TEST_CASE("places from which several groups read are shared") {
  Eigen::MatrixXi place(2, 4);
  place << 0, 1, 0, 2, 3, 4, 5, 6;
  const Grouping grouping({0, 1, 2, 3, 4}, place, 7);
  CHECK(grouping.shared == std::vector<int>{0});
  CHECK(grouping.is_shared(0, 2));
  CHECK_FALSE(grouping.is_shared(0, 3));
}
