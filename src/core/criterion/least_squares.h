// The least-squares criterion: residuals as an expression.
#pragma once
#include "../expression/graph.h"

namespace tundrel {

// Root weight times (response - fitted), in shares of the fitted value where `relative_to_fitted`.
// `root_weight` is a node, or -1 for plain least squares.
int least_squares_residual(Graph& graph, int response, int fitted, int root_weight, bool relative_to_fitted);

}  // namespace tundrel
