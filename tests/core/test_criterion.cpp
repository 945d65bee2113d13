// Gradients and second derivatives of every criterion against differences.
#include <catch2/catch.hpp>
#include <map>
#include <random>

#include "criterion/censoring.h"
#include "criterion/family.h"
#include "criterion/robust_loss.h"
#include "differences.h"
#include "expression/term.h"
#include "fixture.h"
#include "problem/row_sum_problem.h"

using namespace tundrel;

namespace {

// A small table: predictor x, response y, how it is known, low and high limits.
struct Table {
  std::vector<double> x, y, known, low, high;
  Columns columns() const { return {{x.data(), y.data(), known.data(), low.data(), high.data()}, static_cast<long>(x.size())}; }
};

Table table_for(const std::string& family, std::mt19937& random) {
  const auto uniform = [&] { return (random() + 0.5) / 4294967296.0; };
  Table t;
  for (int i = 0; i < 25; ++i) {
    t.x.push_back(3 * uniform());
    double y = 0.2 + 3 * uniform();
    if (family == "poisson" || family == "negative_binomial" || family == "binomial") y = std::floor(4 * uniform());
    if (family == "beta") y = 0.05 + 0.9 * uniform();
    t.y.push_back(y);
    t.known.push_back(i % 4);
    t.low.push_back(0.1 + uniform());
    t.high.push_back(t.low.back() + 0.2 + 2 * uniform());
  }
  return t;
}

// Parameters: two of the model, then the family's own.
int mean_node(Graph& g, const std::string& family) {
  const Term a{&g, g.parameter(0)}, b{&g, g.parameter(1)}, x{&g, g.column(0)};
  if (family == "beta" || family == "binomial") return (a + b * x).with(Op::plogis).node;
  return exp(a + b * x).node;
}

RowSumProblem problem_for(const std::string& family, int n_others, bool censor, const Table& table) {
  Graph g;
  const int mean = mean_node(g, family);
  std::vector<int> others;
  for (int k = 0; k < n_others; ++k) others.push_back(g.parameter(2 + k));
  if (family == "binomial") others = {g.constant(5)};
  RowLoss loss = family_loss(g, family, g.column(1), mean, others);
  if (censor) {
    const Censoring censoring{g.column(2), g.column(3), g.column(4), {Known::below, Known::above, Known::between}};
    loss.smooth = censored_loss(g, family, loss.smooth, censoring, mean, others);
  }
  return RowSumProblem(std::move(g), loss, table.columns(), no_bounds(2 + n_others), 1);
}

void check_expansion(RowSumProblem& problem, const Eigen::VectorXd& x) {
  const Expansion at = problem.expand(x);
  REQUIRE(at.usable);
  const auto along = [&](int j, const auto& f) {
    return difference([&](double v) { Eigen::VectorXd to = x; to[j] = v; return f(to); }, x[j], 1e-3);
  };
  const double size = 1 + at.hessian.cwiseAbs().maxCoeff();
  for (int i = 0; i < x.size(); ++i) {
    const double slope = along(i, [&](const Eigen::VectorXd& to) { return problem.expand(to).value; });
    CHECK(at.gradient[i] == Approx(slope).epsilon(1e-7).margin(1e-9 * size));
    for (int j = 0; j <= i; ++j) {
      const double second = along(j, [&](const Eigen::VectorXd& to) { return problem.expand(to).gradient[i]; });
      CHECK(at.hessian(i, j) == Approx(second).epsilon(1e-7).margin(1e-9 * size));
    }
  }
}

const std::map<std::string, int> kOthers = {{"normal", 1}, {"lognormal", 1}, {"student_t", 2}, {"gamma", 1}, {"weibull", 1},
                                            {"exponential", 0}, {"poisson", 0}, {"negative_binomial", 1}, {"binomial", 0}, {"beta", 1}};

}  // namespace

TEST_CASE("every family has exact first and second derivatives, censored or not") {
  std::mt19937 random(7);
  const auto uniform = [&] { return (random() + 0.5) / 4294967296.0; };
  for (const auto& [family, n_others] : kOthers) {
    const bool censorable = family == "normal" || family == "lognormal" || family == "weibull" || family == "exponential" || family == "gamma";
    for (bool censor : {false, true}) {
      if (censor && !censorable) continue;
      for (int draw = 0; draw < 4; ++draw) {
        INFO(family << (censor ? ", censored" : ""));
        const Table table = table_for(family, random);
        RowSumProblem problem = problem_for(family, n_others, censor, table);
        Eigen::VectorXd x(2 + n_others);
        x << uniform() - 0.3, 0.6 * uniform() - 0.3, Eigen::VectorXd::Zero(n_others);
        for (int k = 0; k < n_others; ++k) x[2 + k] = 0.4 + 3 * uniform();
        check_expansion(problem, x);
      }
    }
  }
}

TEST_CASE("robust losses have exact derivatives and are half the square near zero") {
  std::mt19937 random(3);
  const Table table = table_for("normal", random);
  for (const char* name : {"huber", "bisquare", "cauchy", "pseudo_huber"}) {
    INFO(name);
    Graph g;
    const Term residual = Term{&g, g.column(1)} - Term{&g, mean_node(g, "normal")};
    RowLoss loss;
    loss.smooth = robust_loss(g, name, (residual / 0.4).node, 1.7);
    RowSumProblem problem(std::move(g), loss, table.columns(), no_bounds(2), 1);
    check_expansion(problem, vec({0.35, 0.11}));
    Graph small;
    const int u = small.parameter(0), rho = robust_loss(small, name, u, 1.7);
    const double at = 1e-4;
    double value = 0;
    Program(small, {rho}).run_all(&at, Columns{{}, 1}, &value);
    CHECK(value == Approx(at * at / 2).epsilon(1e-6));
  }
}

TEST_CASE("a smoothed kink has exact derivatives and tends to the absolute value") {
  std::mt19937 random(5);
  const Table table = table_for("normal", random);
  Graph g;
  const RowLoss loss = family_loss(g, "laplace", g.column(1), mean_node(g, "normal"), {g.parameter(2)});
  RowSumProblem problem(std::move(g), loss, table.columns(), no_bounds(3), 1);
  const Eigen::VectorXd x = vec({0.4, 0.1, 0.8});
  problem.kinks()->smooth_by(0.05);
  check_expansion(problem, x);
  problem.kinks()->smooth_by(1e-9);
  CHECK(problem.expand(x).value == Approx(problem.value(x)).epsilon(1e-9));
}

TEST_CASE("parameters out of range refuse the point, whatever the family") {
  std::mt19937 random(11);
  for (const auto& [family, n_others] : kOthers) {
    if (n_others == 0) continue;
    INFO(family);
    const Table table = table_for(family, random);
    RowSumProblem problem = problem_for(family, n_others, false, table);
    for (int k = 0; k < n_others; ++k)
      for (double bad : {0.0, -0.5, -3.0}) {
        Eigen::VectorXd x = Eigen::VectorXd::Constant(2 + n_others, 0.5);
        x[2 + k] = bad;
        CHECK_FALSE(std::isfinite(problem.value(x)));
        CHECK_FALSE(problem.expand(x).usable);
      }
  }
}

TEST_CASE("sums over rows have the same bits on any number of threads") {
  std::mt19937 random(13);
  Table table;
  for (int k = 0; k < 400; ++k) {
    const Table part = table_for("gamma", random);
    for (auto member : {&Table::x, &Table::y, &Table::known, &Table::low, &Table::high})
      (table.*member).insert((table.*member).end(), (part.*member).begin(), (part.*member).end());
  }
  const auto expand = [&](int threads) {
    Graph g;
    const RowLoss loss = family_loss(g, "gamma", g.column(1), mean_node(g, "gamma"), {g.parameter(2)});
    RowSumProblem problem(std::move(g), loss, table.columns(), no_bounds(3), threads);
    return problem.expand(vec({0.3, 0.1, 2.0}));
  };
  const Expansion one = expand(1), two = expand(2);
  CHECK(one.value == two.value);
  CHECK(one.gradient == two.gradient);
  CHECK(one.hessian == two.hessian);
}
