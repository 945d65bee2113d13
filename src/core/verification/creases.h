// Creases: where a parameter moves a kink of the model over a reading, as a break between two lines does. The value slopes differently on either side,
// and where it rises on both, an optimum may lie that no gradient shows.
#pragma once
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

// Those of some parameters along which a sum of squares has a crease at `x` and rises on both sides, while its slopes along all others go on unbroken.
std::vector<int> creases_at(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& moving);

// From a point close to such creases, the point on them at which all other parameters are at their best; FALSE where there is none that is as low.
bool settle_on_creases(Problem& problem, const Eigen::VectorXd& x, Eigen::VectorXd& to);

}  // namespace tundrel
