// Nodes of a graph that can be written as formulas: a + b * log(c).
#pragma once
#include <limits>

#include "graph.h"

namespace tundrel {

struct Term {
  Graph* graph;
  int node;

  Term with(Op op) const { return {graph, graph->apply(op, node)}; }
  Term with(Op op, const Term& other) const { return {graph, graph->apply(op, node, other.node)}; }
  Term number(double x) const { return {graph, graph->constant(x)}; }
};

inline Term operator+(const Term& a, const Term& b) { return a.with(Op::add, b); }
inline Term operator-(const Term& a, const Term& b) { return a.with(Op::subtract, b); }
inline Term operator*(const Term& a, const Term& b) { return a.with(Op::multiply, b); }
inline Term operator/(const Term& a, const Term& b) { return a.with(Op::divide, b); }
inline Term operator-(const Term& a) { return a.with(Op::negate); }
inline Term operator+(const Term& a, double b) { return a + a.number(b); }
inline Term operator-(const Term& a, double b) { return a - a.number(b); }
inline Term operator-(double a, const Term& b) { return b.number(a) - b; }
inline Term operator+(double a, const Term& b) { return b.number(a) + b; }
inline Term operator*(double a, const Term& b) { return b.number(a) * b; }
inline Term operator/(const Term& a, double b) { return a / a.number(b); }
inline Term operator/(double a, const Term& b) { return b.number(a) / b; }
inline Term operator>(const Term& a, const Term& b) { return a.with(Op::greater, b); }
inline Term operator>(const Term& a, double b) { return a > a.number(b); }
inline Term operator==(const Term& a, double b) { return a.with(Op::equal, a.number(b)); }
inline Term operator<=(const Term& a, double b) { return a.with(Op::less_equal, a.number(b)); }

inline Term exp(const Term& a) { return a.with(Op::exp); }
inline Term expm1(const Term& a) { return a.with(Op::expm1); }
inline Term log(const Term& a) { return a.with(Op::log); }
inline Term log1p(const Term& a) { return a.with(Op::log1p); }
inline Term sqrt(const Term& a) { return a.with(Op::sqrt); }
inline Term abs(const Term& a) { return a.with(Op::abs); }
inline Term lgamma(const Term& a) { return a.with(Op::lgamma); }
inline Term square(const Term& a) { return a * a; }

inline Term choose(const Term& test, const Term& yes, const Term& no) {
  return {test.graph, test.graph->apply(Op::select, test.node, yes.node, no.node)};
}

// `value` where `test` is true; elsewhere not a number, which refuses the point.
inline Term where(const Term& test, const Term& value) {
  return choose(test, value, value.number(std::numeric_limits<double>::quiet_NaN()));
}

}  // namespace tundrel
