// What a walk promises when it is stopped.
#include <catch2/catch.hpp>
#include <functional>
#include <limits>

#include "fixture.h"
#include "problem/halted.h"
#include "solver/bfgs.h"
#include "solver/gauss_newton.h"
#include "solver/levenberg_marquardt.h"
#include "solver/nelder_mead.h"
#include "solver/newton.h"
#include "solver/run_loop.h"
#include "solver/solver_table.h"
#include "solver/snapshot.h"

using namespace tundrel;

namespace {

using Maker = std::function<std::unique_ptr<Solver>()>;

template <class Kind>
Maker maker() {
  return [] { return std::make_unique<Kind>(typename Kind::Settings()); };
}

const std::vector<std::pair<const char*, Maker>> kSolvers = {{"levenberg_marquardt", maker<LevenbergMarquardt>()},
                                                             {"gauss_newton", maker<GaussNewton>()},
                                                             {"newton", maker<Newton>()},
                                                             {"bfgs", maker<Bfgs>()},
                                                             {"nelder_mead", maker<NelderMead>()}};

}  // namespace

TEST_CASE("an evaluation given up in the middle leaves the walk as it was") {
  const DecayData data(50000);
  for (const auto& [name, make] : kSolvers) {
    const auto problem = decay_problem(data, no_bounds(2), 2);
    REQUIRE(problem->halts_midway());
    const RunResult straight = run(*problem, *make(), vec({1, 1}), Budget());

    long asked = 0, until = 3;
    problem->work.halted = [&] { return ++asked > until; };
    // on one thread, since with two it is chance how often the asking one has its turn
    problem->work.threads = 1;
    const auto unbegun = make();
    CHECK_THROWS_AS(Walk(*problem, *unbegun).begin(vec({1, 1})), Halted);
    problem->work.threads = 2;

    // Stopped again and again, somewhere else each time, and gone on with from what was kept.
    RunResult stopped;
    Snapshot state;
    int stops = 0;
    for (; stops < 1000; ++stops) {
      const auto solver = make();
      Walk walk(*problem, *solver);
      problem->work.halted = nullptr;
      if (stops == 0) {
        problem->work.evaluations = problem->work.refused = 0;
        problem->refined = false;
        walk.begin(vec({1, 1}));
      } else {
        state.put_back = true;
        solver->visit(state);
        walk.go_on(stopped.progress);
      }
      asked = 0;
      until = 25 + 5 * stops;
      problem->work.halted = [&] { return ++asked > until; };
      walk.advance(Budget());
      stopped = walk.result();
      if (stopped.reason != StopReason::interrupted) break;
      state = Snapshot();
      solver->visit(state);
    }
    INFO(name << " after " << stops << " stops");
    CHECK(stops > 1);
    CHECK(stopped.x == straight.x);
    CHECK(stopped.progress.evaluations == straight.progress.evaluations);
    CHECK(stopped.progress.iterations == straight.progress.iterations);
    CHECK(stopped.reason == straight.reason);
    CHECK(stopped.converged);
  }
}

TEST_CASE("a solver that begins again walks as one that never walked before") {
  const DecayData first(40), second(55);
  const auto number = [](const char* key) {
    const std::string name = key;
    return name == "tolerance" ? 1e-10 : name == "first_radius" ? 1.0 : name == "rate" ? 1e-3 : name == "memory" ? 5.0 : name == "size" ? 0.1 : name == "momentum" ? 0.9 : 0.0;
  };
  for (const char* name : {"levenberg_marquardt", "gauss_newton", "newton", "bfgs", "lbfgs", "conjugate_gradient", "nelder_mead", "powell",
                           "sqp", "gradient_descent"}) {
    SolverSettings settings;
    settings.number = number;
    Budget budget;
    budget.iterations = 60;
    const auto used = make_solver(name, settings);
    // to an end, and from where there is nothing to be had
    run(*decay_problem(first, no_bounds(2)), *used, vec({1, 1}), budget);
    const RunResult nowhere = run(*decay_problem(first, no_bounds(2)), *used, vec({1, -1e6}), budget);
    CHECK(nowhere.reason == StopReason::failed);
    CHECK(nowhere.value == std::numeric_limits<double>::infinity());
    const RunResult again = run(*decay_problem(second, no_bounds(2)), *used, vec({2, 0.2}), budget);
    const RunResult fresh = run(*decay_problem(second, no_bounds(2)), *make_solver(name, settings), vec({2, 0.2}), budget);
    INFO(name);
    CHECK(again.x == fresh.x);
    CHECK(again.reason == fresh.reason);
    CHECK(again.progress.iterations == fresh.progress.iterations);
    CHECK(again.progress.evaluations == fresh.progress.evaluations);
  }
}

TEST_CASE("a walk of which nothing is kept is the same one, keeps to its time, and tells how long it took where that is asked") {
  const DecayData data(40);
  const auto settings = LevenbergMarquardt::Settings();
  LevenbergMarquardt one(settings), other(settings);
  const RunResult kept = run(*decay_problem(data, no_bounds(2)), one, vec({1, 1}), Budget());
  const RunResult bare = run(*decay_problem(data, no_bounds(2)), other, vec({1, 1}), Budget(), Keep::nothing);
  CHECK(bare.trace.empty());
  CHECK(bare.x == kept.x);
  CHECK(bare.progress.evaluations == kept.progress.evaluations);
  CHECK(bare.progress.seconds == 0);
  Budget long_one;
  long_one.seconds = 1000;
  const RunResult timed = run(*decay_problem(data, no_bounds(2)), other, vec({1, 1}), long_one, Keep::nothing);
  CHECK(timed.x == kept.x);
  CHECK(timed.progress.seconds > 0);
  CHECK(kept.trace.back().seconds > kept.trace.front().seconds);
  Budget none;
  none.seconds = 0;
  const RunResult stopped = run(*decay_problem(data, no_bounds(2)), other, vec({1, 1}), none, Keep::nothing);
  CHECK(stopped.reason == StopReason::seconds);
  CHECK(stopped.progress.evaluations == 1);
}

TEST_CASE("near the answer Levenberg-Marquardt converges as Newton does, where residuals are large, too") {
  // a decay fitted to what is none: the residuals are as large as the readings
  DecayData data(50);
  for (int i = 0; i < 50; ++i) data.y[i] += 1.5 * std::sin(1.3 * data.x[i]);
  const auto problem = decay_problem(data, no_bounds(2));
  LevenbergMarquardt solver{LevenbergMarquardt::Settings()};
  const RunResult result = run(*problem, solver, vec({3, 1}), Budget());
  REQUIRE(result.converged);
  int newton = 0;
  for (std::size_t k = 1; k < result.trace.size(); ++k) {
    const TraceRow &before = result.trace[k - 1], &row = result.trace[k];
    if (std::string(row.action) != "Newton step accepted") continue;
    ++newton;
    CHECK(before.gradient_norm <= 1e-3);
    CHECK(row.gradient_norm <= 1e3 * before.gradient_norm * before.gradient_norm + 1e-14);
  }
  CHECK(newton >= 1);
  const Linearisation at = problem->squares()->linearise(result.x);
  CHECK((at.factor.transpose() * at.projected).norm() < 1e-13 * at.factor.norm() * at.residual_norm());
}
