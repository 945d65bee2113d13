// The nearest point that satisfies all conditions.
#pragma once
#include "../problem/bounds.h"
#include "../problem/joint_conditions.h"

namespace tundrel {

// By repeated projection on the conditions' tangents and the bounds, with distances in typical sizes.
// Nearest for linear conditions; near for others. FALSE where no such point was found.
bool nearest_inside(const JointConditions& conditions, const Bounds& bounds, Eigen::VectorXd& x);

}  // namespace tundrel
