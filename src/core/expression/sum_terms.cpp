#include "sum_terms.h"

namespace tundrel {

SplitSum split_constant_terms(Graph& graph, int node) {
  const Node n = graph[node];
  if (!n.on_parameters) return {graph.constant(0), node};
  if (n.op == Op::negate) {
    const SplitSum a = split_constant_terms(graph, n.a);
    return {graph.apply(Op::negate, a.varying), graph.apply(Op::negate, a.constant)};
  }
  if (n.op == Op::add || n.op == Op::subtract) {
    const SplitSum a = split_constant_terms(graph, n.a), b = split_constant_terms(graph, n.b);
    return {graph.apply(n.op, a.varying, b.varying), graph.apply(n.op, a.constant, b.constant)};
  }
  return {node, graph.constant(0)};
}

}  // namespace tundrel
