#include <catch2/catch.hpp>
#include <limits>

#include "fixture.h"
#include "problem/function_model.h"
#include "problem/row_model_squares.h"
#include "solver/levenberg_marquardt.h"
#include "solver/run_loop.h"

using namespace tundrel;

namespace {

// The decay of the fixture as a function, to be compared with its compiled form.
RowModelSquares decay_function(const DecayData& data, const Bounds& bounds) {
  const auto residuals = [&data](const Eigen::VectorXd& p, Eigen::VectorXd& out) {
    for (Eigen::Index i = 0; i < out.size(); ++i) out[i] = data.y[i] - p[0] * std::exp(-p[1] * data.x[i]);
  };
  return {std::make_unique<FunctionModel>(residuals, static_cast<int>(data.x.size()), bounds), {}, {}, bounds, 10};
}

// Triangles are unique but for the signs of their rows.
double distance(const Linearisation& a, const Linearisation& b) {
  return (a.factor.transpose() * a.factor - b.factor.transpose() * b.factor).norm() / (b.factor.transpose() * b.factor).norm();
}

}  // namespace

TEST_CASE("differences agree with exact derivatives, and refined ones to ten digits") {
  const DecayData data(80);
  RowModelSquares function = decay_function(data, no_bounds(2));
  const auto compiled = decay_problem(data, no_bounds(2));
  const Eigen::VectorXd x = vec({4, 0.3});
  const Linearisation exact = compiled->squares()->linearise(x);
  CHECK(distance(function.linearise(x), exact) < 1e-6);
  function.refine();
  CHECK(distance(function.linearise(x), exact) < 1e-10);
}

TEST_CASE("differences never leave the bounds") {
  const DecayData data(80);
  for (bool refined : {false, true}) {
    Bounds bounds = no_bounds(2);
    bounds.lower = vec({4, 0.3});  // the point itself is the corner of the box
    bool outside = false;
    const auto residuals = [&](const Eigen::VectorXd& p, Eigen::VectorXd& out) {
      outside |= p[0] < 4 || p[1] < 0.3;
      for (Eigen::Index i = 0; i < out.size(); ++i) out[i] = data.y[i] - p[0] * std::exp(-p[1] * data.x[i]);
    };
    RowModelSquares function(std::make_unique<FunctionModel>(residuals, 80, bounds), {}, {}, bounds, 10);
    if (refined) function.refine();
    const auto compiled = decay_problem(data, bounds);
    const Eigen::VectorXd x = vec({4, 0.3});
    CHECK(distance(function.linearise(x), compiled->squares()->linearise(x)) < 1e-5);
    CHECK_FALSE(outside);
  }
}

TEST_CASE("every call of the function is counted as an evaluation") {
  const DecayData data(20);
  RowModelSquares function = decay_function(data, no_bounds(2));
  function.value(vec({1, 1}));
  CHECK(function.work.evaluations == 1);
  function.linearise(vec({1, 1}));
  CHECK(function.work.evaluations == 4);
}

TEST_CASE("a point without finite values leaves nothing of the one before") {
  const DecayData data(20);
  RowModelSquares function = decay_function(data, no_bounds(2));
  Linearisation at = function.linearise(vec({1, 1}));
  REQUIRE(at.usable);
  function.linearise_into(vec({1, -1e6}), at);
  CHECK_FALSE(at.usable);
  CHECK(at.value == std::numeric_limits<double>::infinity());
}

TEST_CASE("a function is fitted to the same answer as its compiled form") {
  const DecayData data(120);
  RowModelSquares function = decay_function(data, no_bounds(2));
  const auto compiled = decay_problem(data, no_bounds(2));
  LevenbergMarquardt one({}), two({});
  const RunResult a = run(function, one, vec({1, 1}), Budget());
  const RunResult b = run(*compiled, two, vec({1, 1}), Budget());
  CHECK(a.converged);
  CHECK((a.x - b.x).norm() < 1e-9);
}
