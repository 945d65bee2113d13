// Exact derivatives of an expression, as further nodes of its graph.
#pragma once
#include <vector>

#include "graph.h"

namespace tundrel {

// Reverse-mode differentiation by source transformation: one backward walk from `output` adds the
// nodes of d output / d parameter for every parameter 0 .. n_parameters - 1. The derivatives are
// ordinary nodes, so they share subexpressions with the value and can be differentiated again.
std::vector<int> gradient_nodes(Graph& graph, int output, int n_parameters);

// Lower triangle, row by row, of the second derivatives.
std::vector<int> hessian_nodes(Graph& graph, int output, int n_parameters);

}  // namespace tundrel
