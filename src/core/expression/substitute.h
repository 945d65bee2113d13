// The same expressions with other leaves.
#pragma once
#include <functional>
#include <vector>

#include "graph.h"

namespace tundrel {

// Copies `nodes`, and all that they are made of, into `to`. `leaf` gives what stands there for a leaf, or -1 to leave it as it is.
std::vector<int> copied(const Graph& from, const std::vector<int>& nodes, Graph& to, const std::function<int(Graph& to, const Node& leaf)>& leaf);

}  // namespace tundrel
