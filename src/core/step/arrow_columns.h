// What the groups' Jacobians say of each parameter of the whole problem.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../problem/arrow.h"

namespace tundrel {

struct ArrowColumns {
  ArrowColumns(const Problem& problem, const Grouping& grouping, const std::vector<Linearisation>& at, const Eigen::VectorXd& x);

  Eigen::VectorXd norms, slope;  // of the Jacobian's columns; and of the value
  std::vector<char> held;        // by a bound that the value falls beyond
  double value = 0;
};

}  // namespace tundrel
