#include "derivative.h"

#include <cmath>

#include "../numbers.h"

namespace tundrel {
namespace {

// Changes no number but zero, and has a square.
constexpr double kNextToNothing = 1e-150;



// The partial derivatives of each operation, as nodes of the same graph.
class Rules {
 public:
  explicit Rules(Graph& graph) : g(graph) {}

  // d node / d argument number `which` (0, 1 or 2).
  int partial(int node, int which) {
    const Node n = g[node];  // a copy: adding nodes moves the others
    const int a = n.a, b = n.b;
    switch (n.op) {
      case Op::add: return num(1);
      case Op::subtract: return num(which == 0 ? 1 : -1);
      case Op::multiply: return which == 0 ? b : a;
      case Op::divide: return which == 0 ? div(num(1), b) : neg(div(node, b));
      case Op::power:
        if (which == 0) return mul(b, g.apply(Op::power, a, sub(b, num(1))));
        // a power is stronger than a logarithm: at zero it is the limit
        return g.apply(Op::gated, node, g.apply(Op::log, a));
      case Op::negate: return num(-1);
      case Op::exp: return node;
      case Op::expm1: return g.apply(Op::exp, a);
      case Op::log: return div(num(1), a);
      case Op::log1p: return div(num(1), add(num(1), a));
      case Op::log2: return div(num(1 / std::log(2.0)), a);
      case Op::log10: return div(num(1 / std::log(10.0)), a);
      case Op::sqrt: return div(num(0.5), node);
      case Op::abs: return g.apply(Op::sign, a);
      case Op::sin: return g.apply(Op::cos, a);
      case Op::cos: return neg(g.apply(Op::sin, a));
      case Op::tan: return add(num(1), mul(node, node));
      case Op::asin: return div(num(1), g.apply(Op::sqrt, sub(num(1), mul(a, a))));
      case Op::acos: return div(num(-1), g.apply(Op::sqrt, sub(num(1), mul(a, a))));
      case Op::atan: return div(num(1), add(num(1), mul(a, a)));
      case Op::sinh: return g.apply(Op::cosh, a);
      case Op::cosh: return g.apply(Op::sinh, a);
      case Op::tanh: return sub(num(1), mul(node, node));
      case Op::asinh: return div(num(1), g.apply(Op::sqrt, add(mul(a, a), num(1))));
      case Op::acosh: return div(num(1), g.apply(Op::sqrt, sub(mul(a, a), num(1))));
      case Op::atanh: return div(num(1), sub(num(1), mul(a, a)));
      case Op::gamma: return mul(node, polygamma(0, a));
      case Op::lgamma: return polygamma(0, a);
      case Op::polygamma: return polygamma(n.value + 1, a);
      case Op::erf: return mul(num(2 / std::sqrt(kPi)), g.apply(Op::exp, neg(mul(a, a))));
      case Op::erfc: return mul(num(-2 / std::sqrt(kPi)), g.apply(Op::exp, neg(mul(a, a))));
      case Op::pnorm: return g.apply(Op::dnorm, a);
      case Op::dnorm: return neg(mul(a, node));
      case Op::plogis: return mul(node, sub(num(1), node));
      case Op::qlogis: return div(num(1), mul(a, sub(num(1), a)));
      case Op::bessel_j:
        return mul(num(0.5), sub(g.apply(Op::bessel_j, a, -1, -1, n.value - 1),
                                 g.apply(Op::bessel_j, a, -1, -1, n.value + 1)));
      case Op::log_normal_probability: return g.apply(Op::normal_hazard, neg(a));
      case Op::normal_hazard: return mul(node, sub(node, a));
      case Op::stirling_error: return g.apply(Op::stirling_error, a, -1, -1, n.value + 1);
      case Op::unit_deviance: {
        if (which == 0) return g.apply(Op::log, div(a, b));
        // where nothing is expected and nothing is there the slope is one
        const int expected = g.apply(Op::add, b, num(kNextToNothing));
        return div(sub(expected, a), expected);
      }
      case Op::log_gamma_lower:
      case Op::log_gamma_upper: {
        if (which == 0) return g.apply(n.op, a, b, -1, n.value + 1);
        // Along x the logarithm rises by density over probability; its derivative in the shape follows.
        const int log_density = sub(sub(mul(sub(a, num(1)), g.apply(Op::log, b)), b), g.apply(Op::lgamma, a));
        const int rise = g.apply(Op::exp, sub(log_density, g.apply(n.op, a, b)));
        const int slope = n.op == Op::log_gamma_lower ? rise : neg(rise);
        if (n.value == 0) return slope;
        return mul(slope, sub(sub(g.apply(Op::log, b), polygamma(0, a)), node));
      }
      // w' = -2 z w + 2 i / sqrt(pi) for w = voigt + i voigt_companion at z = a + i b
      case Op::voigt:
      case Op::voigt_companion: {
        const int re = g.apply(Op::voigt, a, b), im = g.apply(Op::voigt_companion, a, b);
        const int along_real = mul(num(-2), sub(mul(a, re), mul(b, im)));
        const int along_imaginary = sub(num(2 / std::sqrt(kPi)), mul(num(2), add(mul(a, im), mul(b, re))));
        if ((n.op == Op::voigt) == (which == 0)) return along_real;
        return n.op == Op::voigt ? neg(along_imaginary) : along_imaginary;
      }
      case Op::atan2: {
        const int squares = add(mul(a, a), mul(b, b));
        return which == 0 ? div(b, squares) : neg(div(a, squares));
      }
      case Op::min: return pick(g.apply(Op::less, a, b), which);
      case Op::max: return pick(g.apply(Op::greater, a, b), which);
      case Op::beta: {
        const int x = which == 0 ? a : b;
        return mul(node, sub(polygamma(0, x), polygamma(0, add(a, b))));
      }
      case Op::gated: return which == 0 ? b : a;
      case Op::select: return which == 0 ? num(0) : pick(a, which - 1);
      case Op::solved: {
        const std::shared_ptr<const RowFunction> function = g.shared_function(n);
        return function->partial(g, node, g.arguments(node), which);
      }
      default: return num(0);                // piecewise constant: comparisons, floor, sign
    }
  }

  int num(double v) { return g.constant(v); }
  int add(int a, int b) { return g.apply(Op::add, a, b); }
  int mul(int a, int b) { return g.apply(Op::multiply, a, b); }

 private:
  int sub(int a, int b) { return g.apply(Op::subtract, a, b); }
  int div(int a, int b) { return g.apply(Op::divide, a, b); }
  int neg(int a) { return g.apply(Op::negate, a); }
  int polygamma(double order, int a) { return g.apply(Op::polygamma, a, -1, -1, order); }
  // 1 where the choice falls on this side, else 0.
  int pick(int test, int side) {
    return g.apply(Op::select, test, num(side == 0), num(side == 1));
  }

  Graph& g;
};

bool branches(Op op) { return op == Op::select || op == Op::min || op == Op::max || op == Op::gated; }

bool grows_beyond_numbers(const Graph& graph, const Node& n) {
  if (n.op == Op::power) return graph[n.b].on_parameters;
  return n.op == Op::exp || n.op == Op::expm1 || n.op == Op::sinh || n.op == Op::cosh;
}

// What an argument may do to a value before its slope comes to more than a multiple.
bool bends(const Node& n, int which) {
  switch (n.op) {
    case Op::add:
    case Op::subtract:
    case Op::multiply:
    case Op::negate: return false;
    case Op::divide: return which == 1;
    default: return true;
  }
}

}  // namespace

std::vector<int> gradient_nodes(Graph& graph, int output, int n_parameters) {
  Rules rules(graph);
  const int last = output;
  std::vector<int> adjoint(last + 1, -1);
  // Below a branch an adjoint is zero where the branch is not taken, and what stands there may be
  // infinite or not a number: those products are gated. So are those below what is flat where its
  // argument is beyond all numbers, as 1 / (1 + exp(u)) and exp(-exp(u)) are.
  std::vector<bool> behind_branch(last + 1, false), grows(last + 1, false);
  std::vector<int> result(n_parameters, rules.num(0));
  if (!graph[output].on_parameters) return result;
  const auto result_with = [&](int before, int part) { return graph.is_constant(before, 0) ? part : rules.add(before, part); };
  for (int i = 0; i <= last; ++i) {
    const Node& n = graph[i];
    grows[i] = grows_beyond_numbers(graph, n);
    if (n.op == Op::solved) {
      for (int argument : graph.arguments(i)) grows[i] = grows[i] || grows[argument];
    } else {
      for (int argument : {n.a, n.b, n.c}) grows[i] = grows[i] || (argument >= 0 && grows[argument]);
    }
  }
  adjoint[output] = rules.num(1);
  for (int i = last; i >= 0; --i) {
    if (adjoint[i] < 0) continue;
    const Node n = graph[i];
    if (n.op == Op::parameter) {
      if (n.index < n_parameters) result[n.index] = result_with(result[n.index], adjoint[i]);
      continue;
    }
    if (n.op == Op::tabled) {
      for (const TableFunction::Slope& slope : graph.table()->slopes(n.index)) {
        if (slope.parameter >= n_parameters) continue;
        const int there = graph.tabled(slope.output);
        const int part = behind_branch[i] ? graph.apply(Op::gated, adjoint[i], there) : rules.mul(adjoint[i], there);
        result[slope.parameter] = result_with(result[slope.parameter], part);
      }
      continue;
    }
    const std::vector<int> arguments = graph.arguments(i);
    for (int which = 0; which < static_cast<int>(arguments.size()); ++which) {
      const int argument = arguments[which];
      if (!graph[argument].on_parameters) continue;
      const int slope = rules.partial(i, which);
      if (graph.is_constant(slope, 0)) continue;
      const int part = behind_branch[i] ? graph.apply(Op::gated, adjoint[i], slope)
                                        : rules.mul(adjoint[i], slope);
      adjoint[argument] = adjoint[argument] < 0 ? part : rules.add(adjoint[argument], part);
      if (behind_branch[i] || branches(n.op) || (grows[argument] && bends(n, which))) behind_branch[argument] = true;
    }
  }
  return result;
}

std::vector<int> hessian_nodes(Graph& graph, int output, int n_parameters) {
  const std::vector<int> first = gradient_nodes(graph, output, n_parameters);
  std::vector<int> result;
  for (int i = 0; i < n_parameters; ++i) {
    const std::vector<int> row = gradient_nodes(graph, first[i], i + 1);
    result.insert(result.end(), row.begin(), row.end());
  }
  return result;
}

}  // namespace tundrel
