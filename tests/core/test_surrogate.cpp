#include <catch2/catch.hpp>
#include <Eigen/LU>
#include <cmath>

#include "differences.h"
#include "fixture.h"
#include "problem/value_function_problem.h"
#include "solver/interpolation.h"
#include "solver/run_loop.h"
#include "solver/snapshot.h"
#include "solver/surrogate.h"
#include "step/quadratic_model.h"
#include "solver/gaussian_process.h"
#include "solver/improvement.h"
#include "solver/value_scale.h"

using namespace tundrel;

namespace {

// Fixed points that fill the square, or a cube.
Eigen::MatrixXd points(int coordinates, int n) {
  Eigen::MatrixXd out(coordinates, n);
  for (int k = 0; k < n; ++k)
    for (int i = 0; i < coordinates; ++i) out(i, k) = std::fmod((k + 0.5) * (i == 0 ? 0.8191725134 : i == 1 ? 0.6710436067 : 0.5497004779), 1.0);
  return out;
}

double branin(const Eigen::VectorXd& x) {
  const double pi = 3.14159265358979;
  return std::pow(x[1] - 5.1 / (4 * pi * pi) * x[0] * x[0] + 5 / pi * x[0] - 6, 2) + 10 * (1 - 1 / (8 * pi)) * std::cos(x[0]) + 10;
}

Eigen::VectorXd values_at(const Eigen::MatrixXd& units) {
  Eigen::VectorXd out(units.cols());
  for (Eigen::Index k = 0; k < units.cols(); ++k) out[k] = std::sin(5 * units(0, k)) + units(1, k) * units(1, k);
  return out;
}

// Correlations written out.
Eigen::MatrixXd correlated(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b, const GaussianProcess::Lengths& lengths) {
  Eigen::MatrixXd out(a.cols(), b.cols());
  for (Eigen::Index i = 0; i < a.cols(); ++i)
    for (Eigen::Index j = 0; j < b.cols(); ++j) {
      double square = 0;
      for (Eigen::Index k = 0; k < a.rows(); ++k) square += std::pow((a(k, i) - b(k, j)) / std::exp(lengths.log_length[k]), 2);
      const double r = std::sqrt(5 * square);
      out(i, j) = lengths.smooth ? std::exp(-square / 2) : (1 + r + 5 * square / 3) * std::exp(-r);
    }
  return out;
}

std::unique_ptr<Problem> in_box(ValueFunctionProblem::Value value, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper) {
  auto problem = std::make_unique<ValueFunctionProblem>(value, VectorFunction(), no_bounds(static_cast<int>(lower.size())));
  problem->box.lower = lower;
  problem->box.upper = upper;
  problem->box.log.assign(static_cast<std::size_t>(lower.size()), false);
  return problem;
}

RunResult searched(Problem& problem, SurrogateSearch& solver, const Eigen::VectorXd& start, double most) {
  Budget budget;
  budget.evaluations = most;
  return run(problem, solver, start, budget);
}

}  // namespace

TEST_CASE("a Gaussian process expects what dense algebra says, with exact slopes") {
  const Eigen::MatrixXd units = points(2, 9);
  Eigen::MatrixXd values(9, 2);
  values << values_at(units), units.row(0).transpose().array().cube().matrix();
  const Eigen::VectorXd at = vec({0.31, 0.77});
  for (const bool smooth : {true, false})
    for (const auto trend : {GaussianProcess::Trend::constant, GaussianProcess::Trend::linear}) {
      GaussianProcess process;
      process.set(units, values, trend);
      const GaussianProcess::Lengths lengths{vec({std::log(0.4), std::log(0.9)}), std::log(1e-3), smooth};
      REQUIRE(process.take(lengths));
      const Eigen::MatrixXd k = correlated(units, units, lengths) + 1e-3 * Eigen::MatrixXd::Identity(9, 9);
      const Eigen::VectorXd near = correlated(units, at, lengths);
      Eigen::MatrixXd basis = Eigen::MatrixXd::Ones(9, trend == GaussianProcess::Trend::linear ? 3 : 1);
      Eigen::VectorXd here = Eigen::VectorXd::Ones(basis.cols());
      if (basis.cols() == 3) {
        basis.rightCols(2) = units.transpose().array() - 0.5;
        here.tail(2) = at.array() - 0.5;
      }
      const Eigen::MatrixXd inverse = k.inverse(), information = (basis.transpose() * inverse * basis).inverse();
      const Eigen::MatrixXd trends = information * basis.transpose() * inverse * values;
      const Eigen::VectorXd mean = (here.transpose() * trends + near.transpose() * inverse * (values - basis * trends)).transpose();
      const Eigen::VectorXd left = here - basis.transpose() * inverse * near;
      const GaussianProcess::Prediction found = process.predict(at, true);
      CHECK((found.mean - mean).norm() < 1e-9);
      CHECK(found.variance == Approx(1 - near.dot(inverse * near) + left.dot(information * left)).epsilon(1e-7));
      const Eigen::MatrixXd beside = inverse - inverse * basis * information * basis.transpose() * inverse;
      const double freedom = 9 - static_cast<double>(basis.cols());
      CHECK(process.variance()[0] == Approx(values.col(0).dot(beside * values.col(0)) / freedom).epsilon(1e-8));
      double misfit = 2 * (std::log(k.determinant()) - std::log(information.determinant()));
      for (int j = 0; j < 2; ++j) misfit += freedom * std::log(values.col(j).dot(beside * values.col(j)) / freedom);
      const Eigen::VectorXd from_usual = lengths.log_length - GaussianProcess::usual(2, smooth).log_length;
      Eigen::VectorXd slope;
      CHECK(process.misfit(lengths, &slope) == Approx(misfit + 2 * from_usual.squaredNorm()).epsilon(1e-8));
      for (int i = 0; i < 3; ++i)
        CHECK(slope[i] == Approx(difference([&](double to) {
                                   GaussianProcess::Lengths moved = lengths;
                                   (i < 2 ? moved.log_length[i] : moved.log_noise) = to;
                                   return process.misfit(moved, nullptr);
                                 }, i < 2 ? lengths.log_length[i] : lengths.log_noise)).epsilon(1e-5).margin(1e-6));
      for (int i = 0; i < 2; ++i) {
        const auto moved = [&](double to) {
          Eigen::VectorXd there = at;
          there[i] = to;
          return process.predict(there, false);
        };
        CHECK(found.mean_slope(i, 0) == Approx(difference([&](double to) { return moved(to).mean[0]; }, at[i])).epsilon(1e-6).margin(1e-7));
        CHECK(found.variance_slope[i] == Approx(difference([&](double to) { return moved(to).variance; }, at[i])).epsilon(1e-5).margin(1e-6));
      }
    }
}

TEST_CASE("lengths that were learnt are no worse than others, and noise is seen where there is some") {
  const Eigen::MatrixXd units = points(2, 40);
  Eigen::VectorXd values = values_at(units);
  GaussianProcess process;
  process.set(units, values, GaussianProcess::Trend::constant);
  process.learn(GaussianProcess::Noise::found, 0, {}, true);
  const double best = process.misfit(process.lengths(), nullptr);
  for (const double factor : {0.3, 1.0, 2.0}) CHECK(best <= process.misfit(GaussianProcess::usual(2, true, factor), nullptr) + 1e-6);
  CHECK(std::exp(process.lengths().log_noise) < 1e-6);
  CHECK(process.predict(vec({0.4, 0.6}), false).mean[0] == Approx(std::sin(2.0) + 0.36).margin(2e-3));
  for (Eigen::Index k = 0; k < values.size(); ++k) values[k] += 0.2 * std::sin(1000.0 * static_cast<double>(k * k));
  process.set(units, values, GaussianProcess::Trend::constant);
  process.learn(GaussianProcess::Noise::found, 0, {}, true);
  CHECK(std::sqrt(process.noise_variance(0)) == Approx(0.14).epsilon(0.4));
}

TEST_CASE("improvement keeps its digits in the tail, and its slopes are exact") {
  for (const double z : {-30.0, -8.0, -5.5, -4.9, -1.0, 0.0, 2.0, 9.0}) {
    double slope = 0;
    log_improvement(z, &slope);
    CHECK(slope == Approx(difference([](double to) { return log_improvement(to, nullptr); }, z)).epsilon(1e-5));
  }
  CHECK(log_improvement(0, nullptr) == Approx(-0.9189385332));
  // by its series, three terms further
  CHECK(log_improvement(-20, nullptr) == Approx(-0.9189385332 - 200 - 2 * std::log(20.0) + std::log1p(-3 / 400.0 + 15 / 160000.0 - 105 / 6.4e7)).epsilon(1e-9));
  const Eigen::MatrixXd units = points(2, 12);
  GaussianProcess process, success;
  process.set(units, values_at(units), GaussianProcess::Trend::constant);
  success.set(units, (units.row(0).array() < 0.5).cast<double>().matrix().transpose(), GaussianProcess::Trend::constant);
  for (const double noise : {1e-9, 1e-2}) {
    REQUIRE(process.take({vec({-1, -0.5}), std::log(noise), true}));
    REQUIRE(success.take({vec({-1, -1}), std::log(1e-3), false}));
    Improvement improvement(process, &success, -0.5, vec({0.5, 0.5}), 0);
    const Eigen::VectorXd at = vec({0.62, 0.33});
    const Slope found = improvement.slope(at);
    CHECK(found.value == Approx(improvement.value(at)).epsilon(1e-12));
    for (int i = 0; i < 2; ++i)
      CHECK(found.gradient[i] == Approx(difference([&](double to) {
                                    Eigen::VectorXd there = at;
                                    there[i] = to;
                                    return improvement.value(there);
                                  }, at[i])).epsilon(1e-5));
  }
}

TEST_CASE("a scale of values goes to and fro, and bends where values span orders of magnitude") {
  const Eigen::MatrixXd units = points(2, 25);
  Eigen::VectorXd plain = values_at(units), wide = (6 * plain).array().exp();
  const GaussianProcess::Lengths lengths = GaussianProcess::usual(2, true);
  CHECK(ValueScale::best_bend(units, plain, lengths) == 0);
  const double bend = ValueScale::best_bend(units, wide, lengths);
  CHECK(bend > 0);
  for (const double one : {0.0, bend}) {
    const ValueScale scale(wide, one);
    const Eigen::VectorXd there = scale.scaled(wide);
    for (int k = 0; k < 25; ++k) CHECK(scale.unscaled(there[k]) == Approx(wide[k]).epsilon(1e-9).margin(1e-9));
    CHECK(scale.slope_at(0.2) == Approx(difference([&](double to) { return scale.unscaled(to); }, 0.2)).epsilon(1e-6));
    double density = 0;
    for (int k = 0; k < 25; ++k) density -= 2 * std::log(scale.slope_at(there[k]));
    CHECK(scale.density(wide) == Approx(density).epsilon(1e-9));
  }
}

TEST_CASE("a quadratic goes through its values, and fewer values change second derivatives least") {
  const Eigen::MatrixXd steps = points(3, 10).array() - 0.5;
  Eigen::MatrixXd bend(3, 3);
  bend << 4, 1, 0, 1, 3, -1, 0, -1, 2;
  const QuadraticModel truth{2, vec({1, -2, 0.5}), bend};
  Eigen::VectorXd values(10);
  for (int k = 0; k < 10; ++k) values[k] = truth.at(steps.col(k));
  QuadraticModel model;
  REQUIRE(fit_quadratic(steps, values, Eigen::MatrixXd::Zero(3, 3), model));
  CHECK(model.value == Approx(2));
  CHECK((model.gradient - truth.gradient).norm() < 1e-8);
  CHECK((model.hessian - bend).norm() < 1e-7);
  REQUIRE(fit_quadratic(steps.leftCols(7), values.head(7), Eigen::MatrixXd::Zero(3, 3), model));
  for (int k = 0; k < 7; ++k) CHECK(model.at(steps.col(k)) == Approx(values[k]).epsilon(1e-9));
  CHECK(model.hessian.norm() < bend.norm() + 1e-9);
  // where they were right before, nothing changes
  REQUIRE(fit_quadratic(steps.leftCols(5), values.head(5), bend, model));
  CHECK((model.hessian - bend).norm() < 1e-8);
  CHECK_FALSE(fit_quadratic(steps.leftCols(3), values.head(3), bend, model));
}

TEST_CASE("a quadratic is lowest where a grid says, between limits, and where it bends down") {
  for (const double last : {3.0, 0.1, -2.0}) {
    QuadraticModel model{0, vec({0.4, -0.7}), (Eigen::MatrixXd(2, 2) << 2, 0.9, 0.9, last).finished()};
    const Eigen::VectorXd lower = vec({-1, -0.5}), upper = vec({0.5, 2});
    double lowest = 1e9;
    for (int i = 0; i <= 300; ++i)
      for (int j = 0; j <= 300; ++j) lowest = std::min(lowest, model.at(vec({-1 + 1.5 * i / 300, -0.5 + 2.5 * j / 300})));
    CHECK(model.at(lowest_within(model, lower, upper)) <= lowest + 1e-9);
  }
}

TEST_CASE("interpolation walks down a bent valley in few calls, within limits and conditions, and goes on bit for bit") {
  const auto valley = [](const Eigen::VectorXd& x) { return 100 * std::pow(x[1] - x[0] * x[0], 2) + std::pow(1 - x[0], 2); };
  ValueFunctionProblem problem(valley, VectorFunction(), no_bounds(2));
  Interpolation solver({0.1, 1e-10});
  solver.start(problem, vec({-1.2, 1}));
  int steps = 0;
  Snapshot half;
  Eigen::VectorXd there;
  for (; solver.status().reason == StopReason::none; ++steps) {
    if (steps == 30) solver.visit(half);
    solver.iterate(problem);
    if (steps == 60) there = solver.status().x;
  }
  CHECK((solver.status().x - vec({1, 1})).norm() < 1e-5);
  CHECK(problem.work.evaluations < 200);
  Interpolation again({0.1, 1e-10});
  again.start(problem, vec({0, 0}));
  half.put_back = true;
  again.visit(half);
  for (int k = 30; k <= 60; ++k) again.iterate(problem);
  CHECK(again.status().x == there);
  // the best point lies on a limit
  Bounds bounds = no_bounds(2);
  bounds.upper[0] = 0.5;
  ValueFunctionProblem held(valley, VectorFunction(), bounds);
  Interpolation within({0.1, 1e-10});
  within.start(held, vec({-1.2, 1}));
  while (within.status().reason == StopReason::none) within.iterate(held);
  CHECK((within.status().x - vec({0.5, 0.25})).norm() < 1e-5);
}

TEST_CASE("the surrogate search finds a valley among several in tens of calls, and goes on bit for bit") {
  for (const double seed : {1.0, 2.0, 3.0}) {
    const auto problem = in_box(branin, vec({-5, 0}), vec({10, 15}));
    SurrogateSearch solver({}, {seed});
    const RunResult found = searched(*problem, solver, vec({2, 9}), 60);
    CHECK(found.value < 0.3979 * 1.01);
  }
  const auto problem = in_box(branin, vec({-5, 0}), vec({10, 15}));
  SurrogateSearch solver({}, {4});
  solver.start(*problem, vec({2, 9}));
  Snapshot half;
  for (int k = 0; k < 12; ++k) {
    if (k == 6) solver.visit(half);
    solver.iterate(*problem);
  }
  SurrogateSearch again({}, {4});
  again.start(*problem, vec({2, 9}));
  half.put_back = true;
  again.visit(half);
  for (int k = 6; k < 12; ++k) again.iterate(*problem);
  CHECK(again.status().x == solver.status().x);
  CHECK(again.propose(*problem) == solver.propose(*problem));
}

TEST_CASE("the surrogate search learns where calls fail, gives several points at once, and reports what it expects where values are noisy") {
  long failed = 0;
  const auto failing = in_box([&](const Eigen::VectorXd& x) {
    if (x[0] < 0) {
      ++failed;
      return std::numeric_limits<double>::quiet_NaN();
    }
    return branin(x);
  }, vec({-5, 0}), vec({10, 15}));
  SurrogateSearch solver({-1, 3, 0, 1e-4, 2}, {1});
  const RunResult found = searched(*failing, solver, vec({2, 9}), 60);
  CHECK(found.value < 0.41);
  CHECK(failed < 20);
  SurrogateSearch::Settings noisy;
  noisy.noise = 5;
  SurrogateSearch among({noisy}, {2});
  double calls = 0, luckiest = 0;
  const auto shaken = in_box([&](const Eigen::VectorXd& x) {
    const double value = branin(x) + 5 * std::sqrt(2.0) * std::sin(1000 * ++calls);
    luckiest = std::min(luckiest, value);
    return value;
  }, vec({-5, 0}), vec({10, 15}));
  const RunResult expected = searched(*shaken, among, vec({2, 9}), 60);
  CHECK(branin(expected.x) < 6);
  CHECK(expected.value > luckiest);
}
