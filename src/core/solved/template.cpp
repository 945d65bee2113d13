#include "template.h"

#include "../expression/derivative.h"
#include "../expression/substitute.h"

namespace tundrel {

Template Template::derivative(int which) const {
  Template out = *this;
  out.node = gradient_nodes(out.graph, node, others + 1)[which];
  return out;
}

Program Template::along_variable() const {
  Graph along;
  const int only = copied(graph, {node}, along, [](Graph& to, const Node& leaf) {
    return leaf.op != Op::parameter ? -1 : leaf.index == 0 ? to.column(0) : to.parameter(leaf.index - 1);
  })[0];
  return Program(along, {only});
}

int Template::put_into(Graph& to, int variable, const int* others) const {
  return copied(graph, {node}, to, [&](Graph&, const Node& leaf) { return leaf.op != Op::parameter ? -1 : leaf.index == 0 ? variable : others[leaf.index - 1]; })[0];
}

}  // namespace tundrel
