// Which parameters enter an expression linearly.
#pragma once
#include <vector>

#include "graph.h"

namespace tundrel {

// A set of parameters in which the expression is linear when all others are held: no product of two
// of them, no function of one. Found from the second derivatives that vanish by structure.
std::vector<int> linear_parameters(Graph& graph, int output, int n_parameters);

}  // namespace tundrel
