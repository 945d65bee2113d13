#include "substitute.h"

namespace tundrel {

std::vector<int> copied(const Graph& from, const std::vector<int>& nodes, Graph& to, const std::function<int(Graph& to, const Node& leaf)>& leaf) {
  std::vector<int> place(from.size(), -1);
  std::vector<char> needed(from.size(), 0);
  for (int node : nodes) needed[node] = 1;
  for (int i = from.size() - 1; i >= 0; --i)
    if (needed[i])
      for (int argument : from.arguments(i)) needed[argument] = 1;
  for (int i = 0; i < from.size(); ++i) {
    if (!needed[i]) continue;
    const Node& node = from[i];
    const auto at = [&](int argument) { return argument < 0 ? -1 : place[argument]; };
    if (node.a >= 0) {
      place[i] = to.apply(node.op, at(node.a), at(node.b), at(node.c), node.value);
      continue;
    }
    if (node.op == Op::solved) {
      std::vector<int> inputs = from.arguments(i);
      for (int& input : inputs) input = place[input];
      place[i] = to.solved(from.shared_function(node), inputs);
      continue;
    }
    place[i] = leaf(to, node);
    if (place[i] >= 0) continue;
    if (node.op == Op::tabled) {
      to.set_table(from.table());
      place[i] = to.tabled(node.index);
      continue;
    }
    place[i] = node.op == Op::parameter ? to.parameter(node.index) : node.op == Op::column ? to.column(node.index) : to.constant(node.value);
  }
  std::vector<int> out;
  for (int node : nodes) out.push_back(place[node]);
  return out;
}

}  // namespace tundrel
