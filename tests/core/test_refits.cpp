#include <catch2/catch.hpp>

#include "fixture.h"
#include "inference/refits.h"
#include "solver/levenberg_marquardt.h"

using namespace tundrel;

namespace {

SolverMaker levenberg_marquardt() {
  return [] { return std::make_unique<LevenbergMarquardt>(LevenbergMarquardt::Settings()); };
}

}  // namespace

TEST_CASE("refits are the fits that the resampled measurements have alone") {
  const DecayData data(40);
  const auto problem = decay_problem(data, no_bounds(2));
  const Columns measured{{data.x.data(), data.y.data()}, 40};
  Resampling resampling;
  resampling.rows.resize(40, 3);
  for (int k = 0; k < 3; ++k)
    for (int i = 0; i < 40; ++i) resampling.rows(i, k) = k == 0 ? i : (7 * i + k) % 40;
  const auto found = refits(*problem, levenberg_marquardt(), vec({5, 0.4}), measured, resampling, Budget());
  REQUIRE(found.size() == 3);
  const RunResult alone = run(*problem, *levenberg_marquardt()(), vec({5, 0.4}), Budget());
  // rows as they are, and in another order
  CHECK(found.x.col(0) == alone.x);
  CHECK((found.x.col(1) - alone.x).norm() < 1e-9);

  SECTION("readings replaced by twice their size double the height") {
    Resampling doubled;
    doubled.replaced = 1;
    doubled.values = 2 * Eigen::Map<const Eigen::VectorXd>(data.y.data(), 40).matrix();
    const auto refit = refits(*problem, levenberg_marquardt(), vec({5, 0.4}), measured, doubled, Budget());
    CHECK(refit.x(0, 0) == Approx(2 * alone.x[0]).epsilon(1e-9));
    CHECK(refit.x(1, 0) == Approx(alone.x[1]).epsilon(1e-9));
  }
  SECTION("threads change nothing") {
    problem->work.threads = 3;
    const auto threaded = refits(*problem, levenberg_marquardt(), vec({5, 0.4}), measured, resampling, Budget());
    CHECK(threaded.x == found.x);
  }
}
