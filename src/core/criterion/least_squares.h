// The least-squares criterion: residuals as an expression.
#pragma once
#include "../expression/graph.h"

namespace tundrel {

// Root weight times (response - fitted). `root_weight` is a node, or -1 for plain least squares.
int least_squares_residual(Graph& graph, int response, int fitted, int root_weight);

// Root weight times log(response / fitted): what a share of the fitted value is on the scale on which too much and too little
// count alike. Shares themselves would be made small by fitting high.
int log_ratio(Graph& graph, int response, int fitted, int root_weight);

// What a row adds where the noise is a share of the fitted value: the quasi-deviance of a spread in proportion to the mean
// (Wedderburn, 1974, Biometrika 61, 439-447), about the squared share where shares are small. Its slope is that of a sum of
// squares whose weights are held at the fitted values, which is zero on average at the truth. `reference` stands for readings of zero.
int share_loss(Graph& graph, int response, int fitted, int root_weight, double reference);

}  // namespace tundrel
