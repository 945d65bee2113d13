#include <catch2/catch.hpp>

#include "criterion/family.h"
#include "expression/term.h"
#include "fixture.h"
#include "problem/function_model.h"
#include "problem/penalty.h"
#include "problem/program_model.h"
#include "problem/row_model_loss.h"
#include "problem/row_model_squares.h"
#include "problem/row_sum_problem.h"
#include "problem/sum_problem.h"
#include "solver/levenberg_marquardt.h"
#include "solver/newton.h"
#include "solver/run_loop.h"

using namespace tundrel;

namespace {

Columns columns_of(const DecayData& data) { return {{data.x.data(), data.y.data()}, static_cast<long>(data.x.size())}; }

int decay(Graph& g) {
  const Term x{&g, g.column(0)}, a{&g, g.parameter(0)}, b{&g, g.parameter(1)};
  return (a * exp(-(b * x))).node;
}

std::unique_ptr<RowModel> decay_model(const DecayData& data) {
  Graph g;
  const int fitted = decay(g);
  return std::make_unique<ProgramModel>(std::move(g), fitted, 2, columns_of(data));
}

Eigen::VectorXd readings(const DecayData& data) { return Eigen::Map<const Eigen::VectorXd>(data.y.data(), static_cast<Eigen::Index>(data.y.size())); }

// A likelihood with a spread of its own, parameter 2; column 2 stands for the fitted values.
RowLoss normal_loss(Graph& g) { return family_loss(g, "normal", g.column(1), g.column(2), {g.parameter(2)}); }

std::unique_ptr<Problem> fused_likelihood(const DecayData& data) {
  Graph g;
  const int fitted = decay(g);
  const RowLoss loss = family_loss(g, "normal", g.column(1), fitted, {g.parameter(2)});
  return std::make_unique<RowSumProblem>(std::move(g), loss, columns_of(data), no_bounds(3), 1);
}

std::unique_ptr<Problem> likelihood_of(std::unique_ptr<RowModel> model, const DecayData& data) {
  Graph g;
  const RowLoss loss = normal_loss(g);
  Columns columns = columns_of(data);
  columns.data.push_back(nullptr);
  return std::make_unique<RowModelLoss>(std::move(model), std::move(g), loss, 2, columns, no_bounds(3));
}

// (a - mean) / sd, as an expression of two parameters.
std::shared_ptr<const JointConditions> belief(double mean, double sd, int parameters) {
  Graph g;
  const int node = ((Term{&g, g.parameter(0)} - mean) / sd).node;
  return std::make_shared<JointConditions>(std::move(g), std::vector<int>{node}, 1, parameters);
}

bool close(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b, double share) { return (a - b).norm() <= share * (1 + b.norm()); }

}  // namespace

TEST_CASE("a row model that is a program is the fused program, whatever the number of rows") {
  for (int rows : {3, 80, 3000}) {
    const DecayData data(rows);
    const auto fused = decay_problem(data, no_bounds(2));
    RowModelSquares squares(decay_model(data), readings(data), {}, no_bounds(2), fused->response_norm());
    for (const Eigen::VectorXd& x : {vec({4, 0.3}), vec({-1, 2})}) {
      CHECK(squares.value(x) == Approx(fused->value(x)).epsilon(1e-13));
      const Linearisation a = squares.linearise(x), b = fused->linearise(x);
      CHECK(close(a.factor.transpose() * a.factor, b.factor.transpose() * b.factor, 1e-12));
      CHECK(close(a.factor.transpose() * a.projected, b.factor.transpose() * b.projected, 1e-12));
      Eigen::MatrixXd one, other;
      REQUIRE(squares.residual_curvature(x, one));
      REQUIRE(fused->residual_curvature(x, other));
      CHECK(close(one, other, 1e-12));
    }
    CHECK(squares.work.evaluations == 4);
  }
}

TEST_CASE("a loss of fitted values has the derivatives of the fused loss") {
  const DecayData data(700);
  // the model has a third parameter, of which it knows nothing
  Graph g;
  const int fitted = decay(g);
  const auto chained = likelihood_of(std::make_unique<ProgramModel>(g, fitted, 3, columns_of(data)), data);
  const auto fused = fused_likelihood(data);
  for (const Eigen::VectorXd& x : {vec({4, 0.3, 0.5}), vec({6, 0.7, 2})}) {
    CHECK(chained->value(x) == Approx(fused->value(x)).epsilon(1e-12));
    CHECK(close(chained->slope(x).gradient, fused->slope(x).gradient, 1e-11));
    const Expansion a = chained->expand(x), b = fused->expand(x);
    REQUIRE(a.usable);
    CHECK(close(a.gradient, b.gradient, 1e-11));
    CHECK(close(a.hessian, b.hessian, 1e-11));
    const Eigen::MatrixXd c = chained->row_slopes()->slopes_factor(x), d = fused->row_slopes()->slopes_factor(x);
    CHECK(close(c.transpose() * c, d.transpose() * d, 1e-11));
  }
}

TEST_CASE("a function of the user's has the same curvature by differences, once refined") {
  const DecayData data(60);
  const auto values = [&](const Eigen::VectorXd& p, Eigen::VectorXd& out) {
    for (Eigen::Index i = 0; i < out.size(); ++i) out[i] = p[0] * std::exp(-p[1] * data.x[i]);
  };
  const auto called = likelihood_of(std::make_unique<FunctionModel>(values, 60, no_bounds(3), std::vector<int>{0, 1}), data);
  const auto fused = fused_likelihood(data);
  const Eigen::VectorXd x = vec({4, 0.3, 0.5});
  CHECK(called->calls_user());
  CHECK(close(called->slope(x).gradient, fused->slope(x).gradient, 1e-6));
  const long before = called->work.evaluations;
  called->expand(x);
  CHECK(called->work.evaluations - before == 3);  // the point, and a step along each parameter that acts
  called->refine();
  const Expansion a = called->expand(x), b = fused->expand(x);
  REQUIRE(a.usable);
  CHECK(close(a.gradient, b.gradient, 1e-9));
  CHECK(((a.hessian - b.hessian).cwiseAbs().array() <= 10 * a.hessian_noise.array() + 1e-6 * b.hessian.norm()).all());
  Newton one({}), two({});
  const RunResult found = run(*called, one, x, Budget()), known = run(*fused, two, x, Budget());
  CHECK(found.converged);
  CHECK(known.converged);
  CHECK((found.x - known.x).norm() < 1e-6);
  CHECK(called->work.best_value == Approx(found.value).epsilon(1e-9));
}

TEST_CASE("blocks of rows add up to the whole table") {
  const DecayData data(90);
  const auto whole = decay_problem(data, no_bounds(2));
  std::vector<std::unique_ptr<Problem>> parts;
  for (int k = 0; k < 3; ++k) {
    auto part = decay_problem(data, no_bounds(2));
    part->read({{data.x.data() + 30 * k, data.y.data() + 30 * k}, 30});
    parts.push_back(std::move(part));
  }
  SumOfSquares sum(std::move(parts));
  const Eigen::VectorXd x = vec({4, 0.3});
  CHECK(sum.value(x) == Approx(whole->value(x)).epsilon(1e-13));
  const Linearisation a = sum.linearise(x), b = whole->linearise(x);
  CHECK(close(a.factor.transpose() * a.factor, b.factor.transpose() * b.factor, 1e-12));
  CHECK(sum.work.evaluations == 2);
  CHECK(sum.linear_parameters() == whole->linear_parameters());
  CHECK(sum.response_norm() == Approx(whole->response_norm()));
  LevenbergMarquardt one({}), two({});
  CHECK((run(sum, one, vec({1, 1}), Budget()).x - run(*whole, two, vec({1, 1}), Budget()).x).norm() < 1e-9);
  const auto copy = sum.clone();
  REQUIRE(copy);
  CHECK(copy->value(x) == sum.value(x));
}

TEST_CASE("what was known beforehand counts as one more reading") {
  const DecayData data(40);
  // a reading of the parameter itself: residual (a - 3) / 0.1
  std::vector<std::unique_ptr<Problem>> parts;
  parts.push_back(decay_problem(data, no_bounds(2)));
  parts.push_back(std::make_unique<Penalty>(belief(3, 0.1, 2), no_bounds(2)));
  SumOfSquares known(std::move(parts));
  const Eigen::VectorXd x = vec({4, 0.3});
  CHECK(known.value(x) == Approx(decay_problem(data, no_bounds(2))->value(x) + 100).epsilon(1e-13));
  LevenbergMarquardt solver({});
  const RunResult found = run(known, solver, vec({1, 1}), Budget());
  REQUIRE(found.converged);
  // at the answer the slopes of both parts balance
  const auto alone = decay_problem(data, no_bounds(2));
  const Eigen::VectorXd slope = alone->slope(found.x).gradient;
  CHECK(slope[0] == Approx(-2 * (found.x[0] - 3) / 0.01).epsilon(1e-6));
  CHECK(std::fabs(slope[1]) < 1e-6);
  // the same for a likelihood, of which it is half
  std::vector<std::unique_ptr<Problem>> losses;
  losses.push_back(fused_likelihood(data));
  losses.push_back(std::make_unique<PenaltyLoss>(belief(3, 0.1, 3), no_bounds(3)));
  SumOfLosses likely(std::move(losses));
  const Eigen::VectorXd y = vec({4, 0.3, 0.5});
  CHECK(likely.value(y) == Approx(fused_likelihood(data)->value(y) + 50).epsilon(1e-13));
  CHECK(likely.expand(y).hessian(0, 0) == Approx(fused_likelihood(data)->expand(y).hessian(0, 0) + 100).epsilon(1e-12));
  Newton newton({});
  CHECK(run(likely, newton, y, Budget()).converged);
}
