// What a walk down a sum of squares knows of a point.
#pragma once
#include <vector>

#include "linear_step.h"
#include "optimality.h"

namespace tundrel {

// All but the linearisation and the scale follows from these.
struct SquaresPlace {
  Linearisation at;
  Eigen::VectorXd norms;  // of the Jacobian's columns
  Eigen::VectorXd scale;  // the largest of them so far
  std::vector<int> unheld;
  LinearStep linear;
  double gradient_norm = 0;

  // From the linearisation, and the scale that served so far.
  void complete(Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& scale_so_far);
  // What else follows, where these two were stored.
  void complete_stored();
  // The scale of a walk's first place. A column that is zero says nothing about scale: until it does, the typical size serves.
  Eigen::VectorXd first_scale(const Problem& problem) const;
  // Newton's step, for the sum of residual times second derivatives of the residual, if there is one and it keeps within bounds;
  // `bending` is what that sum adds to the square of the linear model along it.
  bool newton_step(const Problem& problem, const Eigen::VectorXd& x, const Eigen::MatrixXd& curvature, Eigen::VectorXd& step, double& bending);

  // TRUE where a step within a radius is not what it would be without bounds.
  bool cut_short(const Eigen::VectorXd& step, double radius) const;
  // Bends a step within a radius as the model's surface does, by J' times the residuals' second derivative along it.
  enum class Bend { none, added, too_much };
  Bend add_bend(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& second, double radius, Eigen::VectorXd& step) const;

 private:
  // For their memory.
  Eigen::VectorXd slope_, part_;
  Eigen::MatrixXd extra_;
};

// In parameters that are scaled.
double scaled_length(const Eigen::VectorXd& scale, const Eigen::VectorXd& x);

}  // namespace tundrel
