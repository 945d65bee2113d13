// A quadratic through values at some points.
#pragma once
#include <Eigen/Core>

namespace tundrel {

struct QuadraticModel {
  double value = 0;  // at the centre
  Eigen::VectorXd gradient;
  Eigen::MatrixXd hessian;

  double at(const Eigen::VectorXd& step) const { return value + gradient.dot(step) + 0.5 * step.dot(hessian * step); }
};

// Through all values at `steps` from the centre, a column each, of all such quadratics the one whose second derivatives change least from those of
// `before` (Powell 2004, Mathematical Programming 100, 183-215; Conn, Scheinberg and Vicente 2009, Introduction to Derivative-Free Optimization,
// chapter 5). With more points than a quadratic has numbers it comes closest to them. FALSE where the points do not tell a gradient.
bool fit_quadratic(const Eigen::MatrixXd& steps, const Eigen::VectorXd& values, const Eigen::MatrixXd& before, QuadraticModel& model);

// Where the model is lowest with each coordinate of the step between limits; several beginnings, since the model may bend down.
Eigen::VectorXd lowest_within(const QuadraticModel& model, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper);

}  // namespace tundrel
