// What a walk promises when it is stopped.
#include <catch2/catch.hpp>
#include <functional>

#include "fixture.h"
#include "problem/halted.h"
#include "solver/bfgs.h"
#include "solver/gauss_newton.h"
#include "solver/levenberg_marquardt.h"
#include "solver/nelder_mead.h"
#include "solver/newton.h"
#include "solver/run_loop.h"
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
    problem->halted = [&] { return ++asked > until; };
    const auto unbegun = make();
    CHECK_THROWS_AS(Walk(*problem, *unbegun).begin(vec({1, 1})), Halted);

    // Stopped again and again, somewhere else each time, and gone on with from what was kept.
    RunResult stopped;
    Snapshot state;
    int stops = 0;
    for (; stops < 1000; ++stops) {
      const auto solver = make();
      Walk walk(*problem, *solver);
      problem->halted = nullptr;
      if (stops == 0) {
        problem->evaluations = problem->refused = 0;
        problem->refined = false;
        walk.begin(vec({1, 1}));
      } else {
        state.put_back = true;
        solver->visit(state);
        walk.go_on(stopped.progress);
      }
      asked = 0;
      until = 40 + 7 * stops;
      problem->halted = [&] { return ++asked > until; };
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
