// The other parameters' best values where some are held.
#pragma once
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

// Steps of Gauss and Newton for sums of squares, of Newton for other smooth criteria, halved until they lead down, in all parameters but those
// that are `resting`.
void settle_others(Problem& problem, const std::vector<int>& resting, Eigen::VectorXd& x);

// All of some places but those that stand among others.
std::vector<int> places_without(std::vector<int> all, const std::vector<int>& some);

}  // namespace tundrel
