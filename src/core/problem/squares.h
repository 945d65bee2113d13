// What may be asked of a sum of squares beside its value and slope.
#pragma once
#include <Eigen/Core>
#include <cmath>
#include <limits>
#include <vector>

#include "problem.h"

namespace tundrel {

// Residuals and their Jacobian at a point, reduced by an orthogonal transformation to a triangle:
// |J p + r|^2 = |factor p + projected|^2 + remainder^2 for every step p.
struct Linearisation {
  // Of a sum of squares and the triangle of the Jacobian with the residuals as its last column.
  void set(double value, const Eigen::MatrixXd& triangle);

  bool usable = false;  // FALSE where the model is not finite: the point is refused
  double value = std::numeric_limits<double>::infinity();
  Eigen::MatrixXd factor;
  Eigen::VectorXd projected;
  double remainder = 0;

  double residual_norm() const { return std::sqrt(value); }
  // Of the Jacobian's columns.
  void column_norms(Eigen::VectorXd& norms) const;
  // Half the slope of the value.
  void slope(Eigen::VectorXd& slope) const;
  // By how much a step would lower the value if the residuals were linear.
  double promised(const Eigen::VectorXd& step) const;
};

class Squares {
 public:
  virtual ~Squares() = default;
  // Counts as one evaluation.
  Linearisation linearise(const Eigen::VectorXd& x) {
    Linearisation at;
    linearise_into(x, at);
    return at;
  }
  // The same in the memory of another one.
  virtual void linearise_into(const Eigen::VectorXd& x, Linearisation& at) = 0;
  // Norm of the weighted response: what the residuals are measured against.
  virtual double response_norm() = 0;
  // Sum of residual times second derivatives of the residual; FALSE where it cannot be had.
  virtual bool residual_curvature(const Eigen::VectorXd&, Eigen::MatrixXd&) { return false; }
  // The same for verification, where a function of the user's is worth the evaluations, with the rounding error of each
  // entry (empty where derivatives are exact).
  virtual bool verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) {
    noise.resize(0, 0);
    return residual_curvature(x, curvature);
  }
  // Rounding error of the length of the Jacobian's column, where it comes from differences.
  virtual double column_noise(const Eigen::VectorXd&, int) { return 0; }
  // J' times the second derivative of the residuals along a direction; FALSE where it cannot be had. Counts as one evaluation.
  virtual bool bend_along(const Eigen::VectorXd&, const Eigen::VectorXd&, Eigen::VectorXd&) { return false; }
  // The residuals themselves, and with `jacobian` their derivatives; FALSE where some are not finite, or rows are not kept apart.
  virtual bool rows(const Eigen::VectorXd&, Eigen::VectorXd&, Eigen::MatrixXd*) { return false; }
  // Parameters in which the residuals are known to be linear when the others are held.
  virtual std::vector<int> linear_parameters() { return {}; }
  // Says whether residual_curvature() is going to be asked for where linearise() is: at one go both cost little more than one.
  void expect_curvature(bool expected) { curvature_expected = expected; }

 protected:
  bool curvature_expected = false;
};

// A problem that is a sum of squares, whose slope and curvature come from its residuals'.
class SquaresProblem : public Problem, public Squares {
 public:
  Squares* squares() override { return this; }
  Slope slope(const Eigen::VectorXd& x) override;
  Expansion expand(const Eigen::VectorXd& x) override;
  double least_value() override { return 0; }
};

}  // namespace tundrel
