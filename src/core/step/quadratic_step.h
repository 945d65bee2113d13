// Steps for a quadratic model of the value: undamped, or within a trust region, and within bounds.
#pragma once
#include <cmath>
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

// The problem: minimise g'p + p'Hp / 2. Parameters are scaled by their curvature first, so that units
// do not spoil the eigenvalues.
class QuadraticStep {
 public:
  QuadraticStep(const Eigen::VectorXd& gradient, const Eigen::MatrixXd& hessian);

  // Are there no directions that curve down?
  bool convex() const { return convex_; }
  int rank() const { return rank_; }
  // Length of the undamped step in its own metric, root of g' inverse(H) g, curvatures taken as positive:
  // for a log-likelihood, the distance to the optimum in standard errors.
  double decrement() const;
  // Only where convex(): the shortest of the best steps.
  Eigen::VectorXd undamped() const;
  // How far the slope along directions without curvature leads, with the curvature that rounding may hide: far, unless that slope is rounding.
  double flat_reach() const;

 private:
  bool is_flat(int i) const { return std::fabs(values_[i]) <= floor_; }
  double flat_curvature() const;

  Eigen::VectorXd scale_, values_, c_;
  Eigen::MatrixXd vectors_;
  bool convex_ = true;
  int rank_ = 0;
  double floor_ = 0;
};

// The best step of at most `radius` for a model of any curvature (More and Sorensen, 1983).
Eigen::VectorXd step_within(const Eigen::VectorXd& gradient, const Eigen::MatrixXd& hessian, double radius);

// What a step changes the model of the value by.
double predicted_change(const Expansion& at, const Eigen::VectorXd& step);

// A model in the parameters `moving` only.
QuadraticStep quadratic_step(const Expansion& at, const std::vector<int>& moving);

// A step in all parameters that keeps within bounds, as bounded_step() for sums of squares: parameters
// that would leave theirs stop there and the others are chosen again. `sizes` are the parameters' units
// of length; an infinite radius asks for the undamped step, which a model that is not convex lacks: it
// then has length 0.
Eigen::VectorXd bounded_quadratic_step(const Problem& problem, const Eigen::VectorXd& x, const Expansion& at,
                                       const std::vector<int>& unheld, const Eigen::VectorXd& sizes, double radius);

}  // namespace tundrel
