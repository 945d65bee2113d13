#include "graph.h"

#include <cmath>
#include <cstring>
#include <functional>
#include <utility>

namespace tundrel {
namespace {

// Exponents up to this size become products: exact, and far faster than a general power.
constexpr int kLargestExpandedPower = 4;

std::size_t hash_of(const Node& n) {
  std::size_t h = static_cast<std::size_t>(n.op);
  for (int part : {n.a, n.b, n.c, n.index}) h = h * 1000003u + static_cast<std::size_t>(part + 2);
  return h * 1000003u + std::hash<double>()(n.value);
}

bool same(const Node& x, const Node& y) {
  return x.op == y.op && x.a == y.a && x.b == y.b && x.c == y.c && x.index == y.index &&
         std::memcmp(&x.value, &y.value, sizeof(double)) == 0;
}

}  // namespace

bool Graph::is_constant(int i, double value) const {
  return nodes_[i].op == Op::constant && nodes_[i].value == value;
}

std::vector<int> Graph::arguments(int i) const {
  const Node& node = nodes_[i];
  if (node.op == Op::solved) return calls_[node.index].inputs;
  std::vector<int> out;
  for (int argument : {node.a, node.b, node.c})
    if (argument >= 0) out.push_back(argument);
  return out;
}

int Graph::insert(Node node) {
  const std::size_t h = hash_of(node);
  const auto range = places_.equal_range(h);
  for (auto it = range.first; it != range.second; ++it)
    if (same(nodes_[it->second], node)) return it->second;
  for (int i : {node.a, node.b, node.c}) {
    if (i < 0) continue;
    node.on_rows |= nodes_[i].on_rows;
    node.on_parameters |= nodes_[i].on_parameters;
  }
  nodes_.push_back(node);
  places_.emplace(h, size() - 1);
  return size() - 1;
}

int Graph::constant(double value) {
  Node n{Op::constant};
  n.value = value;
  return insert(n);
}

int Graph::parameter(int index) {
  Node n{Op::parameter};
  n.index = index;
  n.on_parameters = true;
  return insert(n);
}

int Graph::column(int index) {
  Node n{Op::column};
  n.index = index;
  n.on_rows = true;
  return insert(n);
}

int Graph::tabled(int index) {
  Node n{Op::tabled};
  n.index = index;
  n.on_rows = n.on_parameters = true;
  return insert(n);
}

int Graph::solved(std::shared_ptr<const RowFunction> function, const std::vector<int>& inputs) {
  Node node{Op::solved};
  for (std::size_t k = 0; k < calls_.size() && node.index < 0; ++k)
    if (calls_[k].function == function && calls_[k].inputs == inputs) node.index = static_cast<int>(k);
  if (node.index < 0) {
    node.index = static_cast<int>(calls_.size());
    calls_.push_back({std::move(function), inputs});
  }
  for (int i : inputs) {
    node.on_rows |= nodes_[i].on_rows;
    node.on_parameters |= nodes_[i].on_parameters;
  }
  return insert(node);
}

int Graph::whole_power(int base, int exponent) {
  if (exponent < 0) return apply(Op::divide, constant(1), whole_power(base, -exponent));
  if (exponent == 1) return base;
  const int half = whole_power(base, exponent / 2);
  const int square = apply(Op::multiply, half, half);
  return exponent % 2 == 0 ? square : apply(Op::multiply, square, base);
}

namespace {

// x exp(u) / (c + exp(u)) as x / (1 + c exp(-u)), which is a number where exp(u) is beyond all; or -1.
int share_of_exponential(Graph& g, int over, int under) {
  const Node sum = g[under];
  if (sum.op != Op::add) return -1;
  for (const auto& [grown, rest] : {std::pair(sum.a, sum.b), std::pair(sum.b, sum.a)}) {
    const Node exponential = g[grown], top = g[over];
    if (exponential.op != Op::exp) continue;
    const bool whole = over == grown, times = top.op == Op::multiply && (top.a == grown || top.b == grown);
    if (!whole && !times) continue;
    const Node other = g[rest];
    const int left = other.op == Op::exp
      ? g.apply(Op::exp, g.apply(Op::subtract, other.a, exponential.a))
      : g.apply(Op::multiply, rest, g.apply(Op::exp, g.apply(Op::negate, exponential.a)));
    return g.apply(Op::divide, whole ? g.constant(1) : top.a == grown ? top.b : top.a, g.apply(Op::add, g.constant(1), left));
  }
  return -1;
}

}  // namespace

// The node that an operation comes down to, or -1 where nothing simpler is known.
int Graph::simplified(Op op, int a, int b, int c) {
  switch (op) {
    case Op::add:
      if (is_constant(a, 0)) return b;
      if (is_constant(b, 0)) return a;
      if (nodes_[b].op == Op::negate) return apply(Op::subtract, a, nodes_[b].a);
      if (nodes_[a].op == Op::negate) return apply(Op::subtract, b, nodes_[a].a);
      break;
    case Op::subtract:
      if (is_constant(b, 0)) return a;
      if (is_constant(a, 0)) return apply(Op::negate, b);
      if (nodes_[b].op == Op::negate) return apply(Op::add, a, nodes_[b].a);
      break;
    case Op::multiply:
    case Op::gated:
      if (is_constant(a, 0) || is_constant(b, 0)) return constant(0);
      if (is_constant(a, 1)) return b;
      if (is_constant(b, 1)) return a;
      if (is_constant(a, -1)) return apply(Op::negate, b);
      if (is_constant(b, -1)) return apply(Op::negate, a);
      if (nodes_[a].op == Op::negate) return apply(Op::negate, apply(op, nodes_[a].a, b));
      if (nodes_[b].op == Op::negate) return apply(Op::negate, apply(op, a, nodes_[b].a));
      break;
    case Op::divide:
      if (is_constant(b, 1)) return a;
      if (is_constant(a, 0)) return a;
      if (nodes_[a].op == Op::negate)
        return apply(Op::negate, apply(Op::divide, nodes_[a].a, b));
      return share_of_exponential(*this, a, b);
    case Op::negate:
      if (nodes_[a].op == Op::negate) return nodes_[a].a;
      break;
    case Op::power:
      if (nodes_[b].op == Op::constant) {
        const double e = nodes_[b].value;
        if (e == 0) return constant(1);
        if (e == 0.5) return apply(Op::sqrt, a);
        if (e == std::floor(e) && std::fabs(e) <= kLargestExpandedPower)
          return whole_power(a, static_cast<int>(e));
      }
      break;
    case Op::select:
      if (b == c) return b;
      break;
    default:
      break;
  }
  return -1;
}

int Graph::apply(Op op, int a, int b, int c, double value) {
  bool all_constant = true;
  for (int i : {a, b, c})
    if (i >= 0 && nodes_[i].op != Op::constant) all_constant = false;
  if (all_constant) {
    const auto number = [&](int i) { return i >= 0 ? nodes_[i].value : 0.0; };
    return constant(evaluate_scalar(op, value, number(a), number(b), number(c)));
  }
  const int simpler = simplified(op, a, b, c);
  if (simpler >= 0) return simpler;
  // One order for what commutes, so that a * b and b * a are shared.
  if ((op == Op::add || op == Op::multiply) && a > b) std::swap(a, b);
  Node n{op, a, b, c};
  n.value = value;
  return insert(n);
}

}  // namespace tundrel
