// What counts as one: of a parameter's length, and of a change of the value.
#pragma once
#include "../problem/problem.h"

namespace tundrel {

// For each parameter the length that counts as one.
Eigen::VectorXd parameter_sizes(const Problem& problem, const Eigen::VectorXd& x);

// The decrement of a convex model, in units of what matters in the value; see Problem::value_unit().
double scaled_decrement(Problem& problem, const Eigen::VectorXd& x, const Expansion& at, double decrement);

}  // namespace tundrel
