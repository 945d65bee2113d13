// The other parameters' best values where some are held.
#pragma once
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

// Of a sum of squares: Gauss-Newton steps, halved until they lead down, in all parameters but those that are `resting`.
void settle_others(Problem& problem, const std::vector<int>& resting, Eigen::VectorXd& x);

// All of some places but those that stand among others.
std::vector<int> places_without(std::vector<int> all, const std::vector<int>& some);

}  // namespace tundrel
