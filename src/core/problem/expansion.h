// What is known of a criterion at a point.
#pragma once
#include <Eigen/Core>
#include <limits>

namespace tundrel {

// Value and gradient at a point.
struct Slope {
  bool usable = false;
  double value = std::numeric_limits<double>::infinity();
  Eigen::VectorXd gradient;
};

// Value, gradient and matrix of second derivatives at a point.
struct Expansion {
  bool usable = false;
  double value = std::numeric_limits<double>::infinity();
  Eigen::VectorXd gradient;
  Eigen::MatrixXd hessian;
  // Rounding error of the derivatives, where they come from differences; empty where they are exact.
  Eigen::VectorXd gradient_noise;
  Eigen::MatrixXd hessian_noise;
};

}  // namespace tundrel
