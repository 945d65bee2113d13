// The multipliers of kinks at zero that balance the slope of everything else.
#pragma once
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

// The slope that is left when each kink's multiplier, from minus to plus its count, is chosen to make the
// slope small in the parameters `free`.
Eigen::VectorXd balanced_slope(const KinkedExpansion& at, const std::vector<int>& free);

// Rank of a factor's columns.
int determined_directions(const Eigen::MatrixXd& factor, const std::vector<int>& columns);

}  // namespace tundrel
