#include <catch2/catch.hpp>

#include "dynamics/dynamics.h"
#include "expression/derivative.h"
#include "expression/term.h"
#include "fixture.h"
#include "solved/integral_function.h"
#include "solved/root_function.h"

using namespace tundrel;

namespace {

using Terms = std::vector<Term>;

// Unsorted, with times that come twice, and with the beginning.
const std::vector<double> kTimes{3, 0.4, 0, 1, 7.5, 0.4, 12, 2, 0.05, 5, 1e-3, 1e-6};

struct Closed {
  const char* name;
  std::vector<double> at;                                              // parameters
  std::function<Terms(const Terms& p, const Terms& y, const Term& t)> rates;
  std::function<Terms(const Terms& p)> begin;
  std::function<Terms(const Terms& p, const Term& t)> solution;        // of each state
};

Terms parameters(Graph& g, int first, int count) {
  Terms out;
  for (int k = 0; k < count; ++k) out.push_back({&g, g.parameter(first + k)});
  return out;
}

std::vector<int> nodes_of(const Terms& terms) {
  std::vector<int> out;
  for (const Term& term : terms) out.push_back(term.node);
  return out;
}

std::shared_ptr<const Dynamics> dynamics_of(const Closed& one) {
  const int q = static_cast<int>(one.at.size());
  Graph g;
  const int n = static_cast<int>(one.begin(parameters(g, 0, q)).size());
  Graph both;
  const Terms y = parameters(both, 0, n), p = parameters(both, n, q);
  const Term t{&both, both.column(0)};
  const std::vector<int> rates = nodes_of(one.rates(p, y, t)), begin = nodes_of(one.begin(p));
  std::vector<int> acting;
  for (int k = 0; k < q; ++k) acting.push_back(k);
  Experiment experiment;
  experiment.at_knots.resize(0, 0);
  return std::make_shared<Dynamics>(RateSystem(both, rates, n, q, 0), RateSystem(both, begin, n, q, 0), std::vector<RateSystem>(), acting, std::vector<Experiment>{experiment},
                                    0, std::vector<int>());
}

// Values, first and second derivatives of a node, a row a row of the table.
Eigen::MatrixXd all_orders(Graph& g, int node, const std::vector<double>& at, const Columns& columns) {
  const int q = static_cast<int>(at.size());
  std::vector<int> outputs{node};
  for (int one : gradient_nodes(g, node, q)) outputs.push_back(one);
  for (int one : hessian_nodes(g, node, q)) outputs.push_back(one);
  const Program program(g, outputs);
  Program::Workspace space;
  program.prepare(at.data(), columns, space);
  program.run_block(space, columns, 0, static_cast<int>(columns.rows));
  Eigen::MatrixXd out(columns.rows, outputs.size());
  for (std::size_t k = 0; k < outputs.size(); ++k) out.col(k) = Eigen::Map<const Eigen::VectorXd>(space.output(static_cast<int>(k)), columns.rows);
  return out;
}

// The largest difference in columns first to last, relative to the largest number in each column.
double apart(const Eigen::MatrixXd& found, const Eigen::MatrixXd& exact, int first, int last) {
  double worst = 0;
  for (int k = first; k < last; ++k) {
    const double size = exact.col(k).cwiseAbs().maxCoeff();
    if (size > 0) worst = std::max(worst, (found.col(k) - exact.col(k)).cwiseAbs().maxCoeff() / size);
    if (!found.col(k).allFinite()) return INFINITY;
  }
  return worst;
}

Term constant(const Term& like, double x) { return like.number(x); }
Term cosine(const Term& x) { return x.with(Op::cos); }
Term sine(const Term& x) { return x.with(Op::sin); }
Term power(const Term& x, const Term& e) { return x.with(Op::power, e); }

Terms chain_rates(const Terms& p, const Terms& y, const Term&) { return {-(p[0] * y[0]), p[0] * y[0] - p[1] * y[1]}; }
Terms chain_begin(const Terms& p) { return {p[2], constant(p[2], 0)}; }
Terms chain_solution(const Terms& p, const Term& t) {
  return {p[2] * exp(-(p[0] * t)), p[2] * p[0] / (p[1] - p[0]) * (exp(-(p[0] * t)) - exp(-(p[1] * t)))};
}

std::vector<Closed> closed_forms() {
  return {
      {"decay", {0.7, 2}, [](const Terms& p, const Terms& y, const Term&) { return Terms{-(p[0] * y[0])}; }, [](const Terms& p) { return Terms{p[1]}; },
       [](const Terms& p, const Term& t) { return Terms{p[1] * exp(-(p[0] * t))}; }},
      {"chain", {0.9, 0.2, 3}, chain_rates, chain_begin, chain_solution},
      {"chain, a thousand times apart", {1000, 0.3, 3}, chain_rates, chain_begin, chain_solution},
      {"chain, a million times apart", {1e6, 0.3, 3}, chain_rates, chain_begin, chain_solution},
      {"reversible", {0.5, 0.2, 4, 1}, [](const Terms& p, const Terms& y, const Term&) { return Terms{p[1] * y[1] - p[0] * y[0], p[0] * y[0] - p[1] * y[1]}; },
       [](const Terms& p) { return Terms{p[2], p[3]}; },
       [](const Terms& p, const Term& t) {
         const Term all = p[2] + p[3], rest = p[1] * all / (p[0] + p[1]), a = rest + (p[2] - rest) * exp(-((p[0] + p[1]) * t));
         return Terms{a, all - a};
       }},
      {"logistic", {0.9, 10, 0.1}, [](const Terms& p, const Terms& y, const Term&) { return Terms{p[0] * y[0] * (1 - y[0] / p[1])}; }, [](const Terms& p) { return Terms{p[2]}; },
       [](const Terms& p, const Term& t) { return Terms{p[1] / (1 + (p[1] / p[2] - 1) * exp(-(p[0] * t)))}; }},
      {"growth that slows down", {0.4, 8, 0.5}, [](const Terms& p, const Terms& y, const Term&) { return Terms{p[0] * y[0] * log(p[1] / y[0])}; },
       [](const Terms& p) { return Terms{p[2]}; }, [](const Terms& p, const Term& t) { return Terms{p[1] * exp(log(p[2] / p[1]) * exp(-(p[0] * t)))}; }},
      {"oscillator", {3, 0.5, 1.2}, [](const Terms& p, const Terms& y, const Term&) { return Terms{y[1], -(p[0] * p[0] * y[0])}; }, [](const Terms& p) { return Terms{p[1], p[2]}; },
       [](const Terms& p, const Term& t) {
         return Terms{p[1] * cosine(p[0] * t) + p[2] / p[0] * sine(p[0] * t), p[2] * cosine(p[0] * t) - p[1] * p[0] * sine(p[0] * t)};
       }},
      {"damped oscillator", {0.3, 2, 1.5},
       [](const Terms& p, const Terms& y, const Term&) { return Terms{y[1], -(2 * p[0] * y[1]) - p[1] * p[1] * y[0]}; }, [](const Terms& p) { return Terms{p[2], constant(p[2], 0)}; },
       [](const Terms& p, const Term& t) {
         const Term w = sqrt(p[1] * p[1] - p[0] * p[0]), shrinking = exp(-(p[0] * t));
         return Terms{p[2] * shrinking * (cosine(w * t) + p[0] / w * sine(w * t)), -(p[2] * p[1] * p[1] / w * shrinking * sine(w * t))};
       }},
      {"second order", {0.6, 5}, [](const Terms& p, const Terms& y, const Term&) { return Terms{-(p[0] * y[0] * y[0])}; }, [](const Terms& p) { return Terms{p[1]}; },
       [](const Terms& p, const Term& t) { return Terms{p[1] / (1 + p[0] * p[1] * t)}; }},
      {"two reactants", {0.25, 2, 3}, [](const Terms& p, const Terms& y, const Term&) { return Terms{p[0] * (p[1] - y[0]) * (p[2] - y[0])}; },
       [](const Terms& p) { return Terms{constant(p[0], 0)}; },
       [](const Terms& p, const Term& t) {
         const Term e = exp((p[1] - p[2]) * p[0] * t);
         return Terms{p[1] * p[2] * (e - 1) / (p[1] * e - p[2])};
       }},
      {"driven by time", {0.8, 1.4, 2}, [](const Terms& p, const Terms& y, const Term& t) { return Terms{p[1] * t - p[0] * y[0]}; }, [](const Terms& p) { return Terms{p[2]}; },
       [](const Terms& p, const Term& t) { return Terms{p[1] / p[0] * t - p[1] / (p[0] * p[0]) + (p[2] + p[1] / (p[0] * p[0])) * exp(-(p[0] * t))}; }},
      {"rate that swings", {0.4, 2}, [](const Terms& p, const Terms& y, const Term& t) { return Terms{-(p[0] * (1 + 0.5 * cosine(3 * t)) * y[0])}; },
       [](const Terms& p) { return Terms{p[1]}; }, [](const Terms& p, const Term& t) { return Terms{p[1] * exp(-(p[0] * (t + sine(3 * t) / 6)))}; }},
      {"rate that grows", {0.02, 0.3, 2}, [](const Terms& p, const Terms& y, const Term& t) { return Terms{-(p[0] * t * y[0]), p[0] * t * y[0] - p[1] * y[1]}; },
       [](const Terms& p) { return Terms{p[2], constant(p[2], 0)}; }, [](const Terms& p, const Term& t) { return Terms{p[2] * exp(-(p[0] * t * t / 2))}; }},
      {"power law", {0.3, 0.6, 1.1}, [](const Terms& p, const Terms& y, const Term&) { return Terms{p[0] * power(y[0], p[1])}; }, [](const Terms& p) { return Terms{p[2]}; },
       [](const Terms& p, const Term& t) { return Terms{power(power(p[2], 1 - p[1]) + (1 - p[1]) * p[0] * t, 1 / (1 - p[1]))}; }},
      {"drawn to a curve, stiffly", {1e5, 1}, [](const Terms& p, const Terms& y, const Term& t) { return Terms{-(p[0] * (y[0] - p[1] * cosine(t))) - p[1] * sine(t)}; },
       [](const Terms& p) { return Terms{p[1]}; }, [](const Terms& p, const Term& t) { return Terms{p[1] * cosine(t) + 0 * p[0]}; }},
  };
}

// The unknown is parameter 0.
Template template_of(int others, const std::function<Term(const Term& variable, const Terms& others)>& of) {
  Template out;
  const Term variable{&out.graph, out.graph.parameter(0)};
  out.node = of(variable, parameters(out.graph, 1, others)).node;
  out.others = others;
  return out;
}

}  // namespace

TEST_CASE("states and their derivatives to second order are those of closed forms") {
  const Columns columns{{kTimes.data()}, static_cast<long>(kTimes.size())};
  for (const Closed& one : closed_forms()) {
    INFO(one.name);
    const int q = static_cast<int>(one.at.size());
    const auto dynamics = dynamics_of(one);
    Graph exact;
    const Terms solution = one.solution(parameters(exact, 0, q), Term{&exact, exact.column(0)});
    for (std::size_t k = 0; k < solution.size(); ++k) {
      Graph followed;
      followed.set_table(dynamics);
      const Eigen::MatrixXd found = all_orders(followed, followed.tabled(static_cast<int>(k)), one.at, columns), wanted = all_orders(exact, solution[k].node, one.at, columns);
      CHECK(apart(found, wanted, 0, 1) < 1e-11);
      CHECK(apart(found, wanted, 1, 1 + q) < 1e-9);
      CHECK(apart(found, wanted, 1 + q, static_cast<int>(wanted.cols())) < 1e-7);
    }
  }
}

TEST_CASE("values are the same bits whether derivatives are asked for or not") {
  const Columns columns{{kTimes.data()}, static_cast<long>(kTimes.size())};
  for (const Closed& one : closed_forms()) {
    INFO(one.name);
    const auto dynamics = dynamics_of(one);
    std::vector<double> other = one.at;
    for (int order = 1; order < 3; ++order) {
      other[0] *= 1.1;  // so that nothing is remembered
      const auto with = dynamics->outputs(other.data(), columns, order);
      dynamics->outputs(one.at.data(), columns, 0);
      const auto without = dynamics->outputs(other.data(), columns, 0);
      CHECK(with->leftCols(without->cols()) == *without);
    }
  }
}

TEST_CASE("the reaction of three species is right over eleven orders of magnitude of time") {
  // Robertson (1966), with the reference solution of the collections of stiff test problems
  const Closed one{"three species", {0.04, 3e7, 1e4},
                   [](const Terms& p, const Terms& y, const Term&) {
                     const Term back = p[2] * y[1] * y[2], on = p[1] * y[1] * y[1];
                     return Terms{back - p[0] * y[0], p[0] * y[0] - back - on, on};
                   },
                   [](const Terms& p) { return Terms{constant(p[0], 1), constant(p[0], 0), constant(p[0], 0)}; }, nullptr};
  const std::vector<double> times{1e11, 40};
  const Columns columns{{times.data()}, 2};
  const auto states = dynamics_of(one)->outputs(one.at.data(), columns, 0);
  CHECK((*states)(0, 0) == Approx(0.2083340149701255e-07).epsilon(1e-12));
  CHECK((*states)(0, 1) == Approx(0.8333360770334713e-13).epsilon(1e-12));
  CHECK((*states)(0, 2) == Approx(0.9999999791665050).epsilon(1e-13));
  CHECK(states->row(1).sum() == Approx(1).epsilon(1e-13));
}

TEST_CASE("a pendulum comes back after the time that the elliptic integral gives") {
  const double turn = 2.5;
  const Closed one{"pendulum", {1.7, turn}, [](const Terms& p, const Terms& y, const Term&) { return Terms{y[1], -(p[0] * p[0] * sine(y[0]))}; },
                   [](const Terms& p) { return Terms{p[1], constant(p[1], 0)}; }, nullptr};
  // period by the arithmetic-geometric mean
  double a = 1, b = std::cos(turn / 2);
  for (int k = 0; k < 8; ++k) {
    const double mean = (a + b) / 2;
    b = std::sqrt(a * b);
    a = mean;
  }
  const double period = 2 * std::acos(-1.0) / (1.7 * a);
  const std::vector<double> times{period / 4, period / 2, period, 10 * period};
  const Columns columns{{times.data()}, 4};
  const auto states = dynamics_of(one)->outputs(one.at.data(), columns, 1);
  CHECK(std::fabs((*states)(0, 0)) < 1e-12);
  CHECK((*states)(1, 0) == Approx(-turn).epsilon(1e-12));
  CHECK((*states)(2, 0) == Approx(turn).epsilon(1e-12));
  CHECK((*states)(3, 0) == Approx(turn).epsilon(1e-11));
}

TEST_CASE("rates of many states take the equations of a step apart, and stay exact") {
  // a chain of equal steps: its last state but one is a gamma density
  for (int n : {6, 15, 30}) {
    const Closed one{"chain", {1.3, 2},
                     [n](const Terms& p, const Terms& y, const Term&) {
                       Terms out;
                       for (int k = 0; k < n; ++k) out.push_back(k == 0 ? -(p[0] * y[0]) : p[0] * (y[k - 1] - y[k]));
                       return out;
                     },
                     [n](const Terms& p) {
                       Terms out(n, constant(p[1], 0));
                       out[0] = p[1];
                       return out;
                     },
                     nullptr};
    const std::vector<double> times{0.5, 4, 9, 20, 35};
    const Columns columns{{times.data()}, 5};
    Graph exact, followed;
    const Terms p = parameters(exact, 0, 2);
    const Term t{&exact, exact.column(0)};
    followed.set_table(dynamics_of(one));
    for (int k : {0, n / 2, n - 1}) {
      const Term solution = p[1] * exp(-(p[0] * t) + double(k) * log(p[0] * t) - std::lgamma(k + 1));
      const Eigen::MatrixXd found = all_orders(followed, followed.tabled(k), one.at, columns), wanted = all_orders(exact, solution.node, one.at, columns);
      CHECK(apart(found, wanted, 0, 1) < 1e-11);
      CHECK(apart(found, wanted, 1, 3) < 1e-9);
      CHECK(apart(found, wanted, 3, 6) < 1e-7);
    }
  }
}

TEST_CASE("states that cannot be followed are no numbers from there on") {
  const Closed one{"blow-up", {1}, [](const Terms&, const Terms& y, const Term&) { return Terms{y[0] * y[0]}; }, [](const Terms& p) { return Terms{p[0]}; }, nullptr};
  const std::vector<double> times{0.5, 0.9, 1.5};
  const Columns columns{{times.data()}, 3};
  const auto states = dynamics_of(one)->outputs(one.at.data(), columns, 0);
  CHECK(std::isnan((*states)(2, 0)));
}

TEST_CASE("roots and their derivatives are those of explicit forms") {
  // x^2 + b x = c
  const auto root = std::make_shared<RootFunction>(template_of(2, [](const Term& x, const Terms& p) { return x * x + p[0] * x - p[1]; }));
  const std::vector<double> c{0.3, 1, 2, 50, 1e6};
  const Columns columns{{c.data()}, 5};
  Graph implicit, exact;
  const Terms p = parameters(implicit, 0, 2), q = parameters(exact, 0, 2);
  const Term column{&implicit, implicit.column(0)}, other{&exact, exact.column(0)};
  const int node = implicit.solved(root, {implicit.constant(0), implicit.constant(1e8), p[0].node, (p[1] * column).node});
  const Term solution = 2 * q[1] * other / (q[0] + sqrt(q[0] * q[0] + 4 * q[1] * other));
  const std::vector<double> at{1.5, 0.8};
  const Eigen::MatrixXd found = all_orders(implicit, node, at, columns), wanted = all_orders(exact, solution.node, at, columns);
  CHECK(apart(found, wanted, 0, 1) < 1e-15);
  CHECK(((found.col(0) - wanted.col(0)).array() / wanted.col(0).array()).abs().maxCoeff() < 1e-14);
  CHECK(apart(found, wanted, 1, 3) < 1e-13);
  CHECK(apart(found, wanted, 3, 6) < 1e-12);
}

TEST_CASE("a root that is not in its range is no number, one at an end is found, and the ends may be in either order") {
  const RootFunction root(template_of(1, [](const Term& x, const Terms& p) { return x * x - p[0]; }));
  const double from[] = {0, 0, 2, 3, 0}, to[] = {10, 1, 10, 0, 1e-300}, square[] = {2, 2, 4, 4, -1};
  double out[5];
  root.evaluate({{from, 1}, {to, 1}, {square, 1}}, out, 5);
  CHECK(out[0] == Approx(std::sqrt(2.0)).epsilon(1e-15));
  CHECK(std::isnan(out[1]));
  CHECK(out[2] == 2);
  CHECK(out[3] == Approx(2).epsilon(1e-15));
  CHECK(std::isnan(out[4]));
}

TEST_CASE("roots are found where Newton's steps alone would not come to them") {
  // flat, steep, many orders of magnitude wide, and with a pole outside
  const RootFunction flat(template_of(1, [](const Term& x, const Terms& p) { return power(x - p[0], constant(x, 9)); }));
  const RootFunction steep(template_of(1, [](const Term& x, const Terms& p) { return exp(50 * x) - p[0]; }));
  const RootFunction wide(template_of(1, [](const Term& x, const Terms& p) { return log(x / p[0]); }));
  const RootFunction beside_zero(template_of(1, [](const Term& x, const Terms& p) { return x * x - p[0]; }));
  const double zero = 0, ten = 10, tiny = 1e-30, huge = 1e30, third = 1.0 / 3, big = 1e20, small = 3e-17;
  double out;
  flat.evaluate({{&zero, 0}, {&ten, 0}, {&third, 0}}, &out, 1);
  CHECK(out == Approx(third).epsilon(1e-6));
  steep.evaluate({{&zero, 0}, {&ten, 0}, {&big, 0}}, &out, 1);
  CHECK(out == Approx(std::log(1e20) / 50).epsilon(1e-14));
  const double next_to_nothing = 1e-280;
  beside_zero.evaluate({{&zero, 0}, {&ten, 0}, {&next_to_nothing, 0}}, &out, 1);
  CHECK(out == Approx(1e-140).epsilon(1e-14));
  wide.evaluate({{&tiny, 0}, {&huge, 0}, {&small, 0}}, &out, 1);
  CHECK(out == Approx(small).epsilon(1e-13));
}

TEST_CASE("integrals and their derivatives are those of closed forms") {
  const std::vector<double> x{0.1, 1, 3, 8};
  const Columns columns{{x.data()}, 4};
  const std::vector<double> at{1.3, 0.7};
  Graph integral, exact;
  const Terms p = parameters(integral, 0, 2), q = parameters(exact, 0, 2);
  const Term column{&integral, integral.column(0)}, other{&exact, exact.column(0)};
  // exp(-k s) from b to x + b
  const auto decay = std::make_shared<IntegralFunction>(template_of(1, [](const Term& s, const Terms& k) { return exp(-(k[0] * s)); }));
  const int area = integral.solved(decay, {p[1].node, (column + p[1]).node, p[0].node});
  const Term closed = (exp(-(q[0] * q[1])) - exp(-(q[0] * (other + q[1])))) / q[0];
  const Eigen::MatrixXd found = all_orders(integral, area, at, columns), wanted = all_orders(exact, closed.node, at, columns);
  CHECK(apart(found, wanted, 0, 1) < 1e-14);
  CHECK(apart(found, wanted, 1, 3) < 1e-13);
  CHECK(apart(found, wanted, 3, 6) < 1e-12);
}

TEST_CASE("integrals with infinite ends and singular ones are right, and those that are infinite are no numbers") {
  const IntegralFunction bell(template_of(1, [](const Term& s, const Terms& p) { return exp(-(square(s - p[0]))); }));
  const IntegralFunction root(template_of(0, [](const Term& s, const Terms&) { return 1 / sqrt(s); }));
  const IntegralFunction tail(template_of(1, [](const Term& s, const Terms& p) { return exp(-(p[0] * s)); }));
  const IntegralFunction pole(template_of(0, [](const Term& s, const Terms&) { return 1 / s; }));
  const double zero = 0, one = 1, four = 4, infinite = INFINITY, minus = -INFINITY;
  double out;
  bell.evaluate({{&minus, 0}, {&infinite, 0}, {&four, 0}}, &out, 1);
  CHECK(out == Approx(std::sqrt(std::acos(-1.0))).epsilon(1e-13));
  root.evaluate({{&zero, 0}, {&four, 0}}, &out, 1);
  CHECK(out == Approx(4).epsilon(1e-10));
  tail.evaluate({{&zero, 0}, {&infinite, 0}, {&four, 0}}, &out, 1);
  CHECK(out == Approx(0.25).epsilon(1e-13));
  tail.evaluate({{&one, 0}, {&zero, 0}, {&four, 0}}, &out, 1);
  CHECK(out == Approx((std::exp(-4.0) - 1) / 4).epsilon(1e-13));
  pole.evaluate({{&zero, 0}, {&one, 0}}, &out, 1);
  CHECK(std::isnan(out));
}
