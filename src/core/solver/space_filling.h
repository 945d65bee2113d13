// Points that fill a cube of side one evenly.
#pragma once
#include "random.h"

namespace tundrel {

// A Latin hypercube (McKay, Beckman and Conover, 1979, Technometrics 21, 239-245): in every coordinate each of n slices
// has one point. A column a point.
Eigen::MatrixXd latin_hypercube(int coordinates, int n, Random& random);

}  // namespace tundrel
