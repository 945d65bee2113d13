// Negative log densities of the families, in terms of the mean that the model gives.
#pragma once
#include <string>
#include <vector>

#include "../expression/graph.h"
#include "row_loss.h"

namespace tundrel {

// `family` is its name in the documentation, `others` its further parameters in the order given there:
//   normal: sd; lognormal: log_sd; student_t: scale, df; laplace: scale; gamma: shape; weibull: shape;
//   exponential, poisson: none; negative_binomial: size; binomial: trials; beta: precision.
// Parameters out of range make the loss not a number. Constants are kept.
RowLoss family_loss(Graph& graph, const std::string& family, int response, int fitted,
                    const std::vector<int>& others);

// log of the probability to lie below (upper = false) or above `limit`, for the families that can be
// censored: normal, lognormal, gamma, weibull, exponential.
int log_tail(Graph& graph, const std::string& family, bool upper, int limit, int fitted,
             const std::vector<int>& others);

}  // namespace tundrel
