#include <catch2/catch.hpp>
#include <cmath>

#include "fixture.h"
#include "inference/group_fits.h"
#include "solver/levenberg_marquardt.h"
#include "solver/shared_fit.h"

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
  const auto problem = decay_problem(DecayData(40), no_bounds(2));
  const SharedFit fit = fit_shared(*problem, {1}, in_each(vec({1, 1})), in_each(vec({1, 1})), data.columns(), data.first, 1e-10, Budget());
  REQUIRE(fit.converged);
  CHECK(fit.gradient_norm < 1e-10);
  const double rate = fit.x(1, 0);
  CHECK(rate == Approx(0.5).margin(0.01));
  double of_rate = 0, size = 0;
  for (int k = 0; k < 3; ++k) {
    CHECK(fit.x(1, k) == rate);
    double of_height = 0;
    for (long i = data.first[k]; i < data.first[k + 1]; ++i) {
      const double shape = std::exp(-rate * data.x[i]), residual = data.y[i] - fit.x(0, k) * shape;
      of_height += residual * shape;
      of_rate += residual * fit.x(0, k) * data.x[i] * shape;
      size += data.y[i] * data.y[i];
    }
    CHECK(std::fabs(of_height) < 1e-10 * size);
  }
  CHECK(std::fabs(of_rate) < 1e-10 * size);

  SECTION("threads change nothing") {
    problem->work.threads = 3;
    const SharedFit threaded = fit_shared(*problem, {1}, in_each(vec({1, 1})), in_each(vec({1, 1})), data.columns(), data.first, 1e-10, Budget());
    CHECK(threaded.x == fit.x);
    CHECK(threaded.errors == fit.errors);
  }
  SECTION("a bound holds the shared parameter, and the heights are at their best beside it") {
    Bounds bounds = no_bounds(2);
    bounds.upper[1] = 0.4;
    const auto held = decay_problem(DecayData(40), bounds);
    const SharedFit at = fit_shared(*held, {1}, in_each(vec({1, 0.3})), in_each(vec({1, 1})), data.columns(), data.first, 1e-10, Budget());
    CHECK(at.converged);
    CHECK(at.x(1, 2) == 0.4);
    CHECK(std::isnan(at.errors(1, 0)));
    double up = 0, down = 0;
    for (long i = 0; i < 10; ++i) {
      const double shape = std::exp(-0.4 * data.x[i]);
      up += data.y[i] * shape;
      down += shape * shape;
    }
    CHECK(at.x(0, 0) == Approx(up / down).epsilon(1e-9));
  }
  SECTION("out of budget is not converged") {
    Budget small;
    small.evaluations = 2;
    const SharedFit short_of = fit_shared(*problem, {1}, in_each(vec({1, 1})), in_each(vec({1, 1})), data.columns(), data.first, 1e-10, small);
    CHECK_FALSE(short_of.converged);
    CHECK(short_of.reason == StopReason::evaluations);
  }
}
