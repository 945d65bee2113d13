#include "least_squares.h"

namespace tundrel {

int least_squares_residual(Graph& graph, int response, int fitted, int root_weight, bool relative_to_fitted) {
  int raw = graph.apply(Op::subtract, response, fitted);
  if (relative_to_fitted) raw = graph.apply(Op::divide, raw, fitted);
  return root_weight < 0 ? raw : graph.apply(Op::multiply, root_weight, raw);
}

}  // namespace tundrel
