// What a solver sees of a problem.
#pragma once
#include <Eigen/Core>
#include <limits>

#include "bounds.h"

namespace tundrel {

// Residuals and their Jacobian at a point, reduced by an orthogonal transformation to a triangle:
// |J p + r|^2 = |factor p + projected|^2 + remainder^2 for every step p.
struct Linearisation {
  bool usable = false;  // FALSE where the model is not finite: the point is refused
  double value = std::numeric_limits<double>::infinity();
  Eigen::MatrixXd factor;
  Eigen::VectorXd projected;
  double remainder = 0;

  double residual_norm() const { return std::sqrt(value); }
};

class Problem {
 public:
  virtual ~Problem() = default;
  virtual int size() const = 0;
  virtual const Bounds& bounds() const = 0;

  // The criterion; not finite where the point is to be refused.
  virtual double value(const Eigen::VectorXd& x) = 0;
  // For sums of squares. Counts as one evaluation.
  virtual Linearisation linearise(const Eigen::VectorXd& x) = 0;
  // Sum of residual times second derivatives of the residual; FALSE where it cannot be had.
  virtual bool residual_curvature(const Eigen::VectorXd&, Eigen::MatrixXd&) { return false; }
  // Norm of the weighted response: what the residuals are measured against.
  virtual double response_norm() = 0;
  // Parameters in which the residuals are known to be linear when the others are held.
  virtual std::vector<int> linear_parameters() { return {}; }
  // Asks for the most accurate derivatives from now on: the walk is nearly over.
  virtual void refine() {}

  long evaluations = 0;
  long refused = 0;  // evaluations that gave no finite number
};

}  // namespace tundrel
