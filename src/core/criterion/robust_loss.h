// Losses that grow more slowly than squares, so that outliers count less.
#pragma once
#include <string>

#include "../expression/graph.h"

namespace tundrel {

// `loss` is huber, bisquare, cauchy or pseudo_huber; `scaled` the residual over its scale; `tuning` how many
// scales away a residual starts to count less. Near zero all are half the square.
int robust_loss(Graph& graph, const std::string& loss, int scaled, double tuning);

}  // namespace tundrel
