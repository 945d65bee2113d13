#include <catch2/catch.hpp>
#include <map>
#include <string>
#include <vector>

#include "differences.h"
#include "expression/derivative.h"
#include "expression/kernel.h"
#include "expression/program.h"

using namespace tundrel;

namespace {

using Points = std::vector<std::vector<double>>;

// Where each function is smooth and of moderate size; for the others the general points do.
Points points_for(const std::string& name, int arity) {
  static const std::map<std::string, Points> special = {
      {"asin", {{-0.7}, {0.2}, {0.6}}},     {"acos", {{-0.7}, {0.2}, {0.6}}},
      {"atanh", {{-0.7}, {0.2}, {0.6}}},    {"acosh", {{1.3}, {2.4}, {5.0}}},
      {"qlogis", {{0.2}, {0.5}, {0.8}}},    {"log1p", {{-0.4}, {0.3}, {4.0}}},
      {"gamma", {{0.7}, {2.3}, {4.1}, {-0.5}}}, {"lgamma", {{0.7}, {2.3}, {40.0}}},
      {"digamma", {{0.7}, {2.3}, {40.0}, {-0.5}}}, {"trigamma", {{0.7}, {2.3}, {40.0}}},
      {"voigt", {{-1.3, 0.4}, {0.2, 1.5}, {9.0, 0.3}, {14.0, 6.0}}},
      {"tan", {{-0.8}, {0.4}, {1.1}}},      {"exp", {{-3.0}, {0.0}, {2.5}}},
      {"erf", {{-1.2}, {0.0}, {0.8}}},      {"bessel_j0", {{-3.0}, {0.4}, {7.5}}},
      {"bessel_j1", {{-3.0}, {0.4}, {7.5}}}, {"sinh", {{-1.0}, {0.5}, {2.0}}}};
  const auto found = special.find(name);
  if (found != special.end()) return found->second;
  if (arity == 1) return {{0.35}, {1.7}, {3.2}};
  if (arity == 2) return {{0.35, 1.2}, {1.7, 0.6}, {3.2, 2.1}};
  return {{1.0, 0.4, 2.0}, {0.0, 0.4, 2.0}};
}

double evaluate(const Graph& graph, int node, const std::vector<double>& at) {
  Columns one_row;
  one_row.rows = 1;
  double out = 0;
  Program(graph, {node}).run_all(at.data(), one_row, &out);
  return out;
}

void check_against_differences(const Graph& graph, int node, const std::vector<int>& gradient,
                               const std::vector<double>& at, const std::string& what) {
  for (std::size_t k = 0; k < at.size(); ++k) {
    const double exact = evaluate(graph, gradient[k], at);
    const double by_difference = difference(
        [&](double x) {
          std::vector<double> moved = at;
          moved[k] = x;
          return evaluate(graph, node, moved);
        },
        at[k]);
    INFO(what << " in argument " << k << " at " << at[0]);
    CHECK(exact == Approx(by_difference).epsilon(1e-8).margin(1e-9));
  }
}

}  // namespace

TEST_CASE("every function of the language has exact first and second derivatives") {
  int count = 0;
  const OperationInfo* table = operation_table(count);
  for (int i = 0; i < count; ++i) {
    const OperationInfo& info = table[i];
    for (const auto& at : points_for(info.name, info.arity)) {
      Graph graph;
      std::vector<int> x;
      for (int k = 0; k < info.arity; ++k) x.push_back(graph.parameter(k));
      x.resize(3, -1);
      const int node = graph.apply(info.op, x[0], x[1], x[2], info.value);
      const std::vector<int> gradient = gradient_nodes(graph, node, info.arity);
      // The test of ifelse() is piecewise constant: differences across its jump mean nothing.
      if (info.op == Op::select) {
        CHECK(evaluate(graph, gradient[1], at) == (at[0] != 0));
        CHECK(evaluate(graph, gradient[2], at) == (at[0] == 0));
        continue;
      }
      check_against_differences(graph, node, gradient, at, info.name);
      for (int k = 0; k < info.arity; ++k) {
        const int first = gradient[k];
        check_against_differences(graph, first, gradient_nodes(graph, first, info.arity), at,
                                  std::string("derivative of ") + info.name);
      }
    }
  }
}

TEST_CASE("second derivatives are the derivatives of the first, and symmetric") {
  Graph g;
  const int a = g.parameter(0), b = g.parameter(1), c = g.parameter(2);
  // a exp(-b c) / (1 + c^b)
  const int top = g.apply(Op::multiply, a, g.apply(Op::exp, g.apply(Op::negate, g.apply(Op::multiply, b, c))));
  const int node = g.apply(Op::divide, top, g.apply(Op::add, g.constant(1), g.apply(Op::power, c, b)));
  const std::vector<double> at = {1.3, 0.7, 2.1};
  const std::vector<int> gradient = gradient_nodes(g, node, 3);
  const std::vector<int> hessian = hessian_nodes(g, node, 3);
  int k = 0;
  for (int i = 0; i < 3; ++i) {
    const std::vector<int> row = gradient_nodes(g, gradient[i], 3);
    check_against_differences(g, gradient[i], row, at, "gradient");
    for (int j = 0; j <= i; ++j, ++k)
      CHECK(evaluate(g, hessian[k], at) == Approx(evaluate(g, row[j], at)).epsilon(1e-14));
  }
}

TEST_CASE("a branch that is not taken leaves no trace in derivatives") {
  Graph g;
  const int a = g.parameter(0);
  // a > 0 ? sqrt(a) : 0, at a < 0, where the root and its derivatives are not numbers
  const int node = g.apply(Op::select, g.apply(Op::greater, a, g.constant(0)), g.apply(Op::sqrt, a), g.constant(0));
  CHECK(evaluate(g, gradient_nodes(g, node, 1)[0], {-1.0}) == 0);
  CHECK(evaluate(g, hessian_nodes(g, node, 1)[0], {-1.0}) == 0);
  CHECK(evaluate(g, hessian_nodes(g, node, 1)[0], {4.0}) == Approx(-0.25 / 8));
}

TEST_CASE("powers of zero have the derivatives of their limits") {
  Graph g;
  const int x = g.parameter(0), y = g.parameter(1);
  const int node = g.apply(Op::power, x, y);
  const std::vector<int> gradient = gradient_nodes(g, node, 2);
  CHECK(evaluate(g, gradient[0], {0, 2.5}) == 0);
  CHECK(evaluate(g, gradient[1], {0, 2.5}) == 0);
}

TEST_CASE("what is flat where its argument is beyond all numbers has slopes of zero there") {
  Graph g;
  const int a = g.parameter(0), u = g.parameter(1), k = g.parameter(2), one = g.constant(1);
  const int grown = g.apply(Op::exp, u), sum = g.apply(Op::add, one, grown);
  const int cosh = g.apply(Op::cosh, u);
  const std::vector<std::pair<int, double>> flat = {  // and the value there, for a = 2
      {g.apply(Op::divide, a, sum), 0},
      {g.apply(Op::divide, g.apply(Op::multiply, a, grown), sum), 2},
      {g.apply(Op::divide, grown, g.apply(Op::add, g.apply(Op::exp, k), grown)), 1},
      {g.apply(Op::multiply, a, g.apply(Op::exp, g.apply(Op::negate, grown))), 0},
      {g.apply(Op::multiply, a, g.apply(Op::power, sum, g.apply(Op::negate, k))), 0},
      {g.apply(Op::divide, a, g.apply(Op::multiply, cosh, cosh)), 0},
      {g.apply(Op::multiply, a, g.apply(Op::tanh, grown)), 2}};
  for (std::size_t form = 0; form < flat.size(); ++form) {
    const auto [node, value] = flat[form];
    const std::vector<double> at = {2, 800, 1.5};
    const std::vector<int> gradient = gradient_nodes(g, node, 3), hessian = hessian_nodes(g, node, 3);
    INFO("form " << form);
    CHECK(evaluate(g, node, at) == value);
    const bool scaled = g[node].on_parameters && evaluate(g, node, {4, 800, 1.5}) != value;
    CHECK(evaluate(g, gradient[0], at) == (scaled ? 1 : 0));
    for (int p : {1, 2}) CHECK(evaluate(g, gradient[p], at) == 0);
    for (int second : hessian) CHECK(evaluate(g, second, at) == 0);
    check_against_differences(g, node, gradient, {2, 0.7, 1.5}, "flat");
    check_against_differences(g, node, gradient, {2, -3.0, 1.5}, "flat");
  }
}
