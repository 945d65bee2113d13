// The scale on which values of a criterion are modelled: as they are, or with those far above the best drawn together, where the criterion
// spans orders of magnitude.
#pragma once
#include <Eigen/Core>

#include "gaussian_process.h"

namespace tundrel {

class ValueScale {
 public:
  // From values of which the best is `best`; their middle is one above it. With a `bend` of zero values stay as they are; else they are
  // log(1 + v / bend) * bend, of v above the best.
  ValueScale() = default;
  ValueScale(const Eigen::VectorXd& values, double bend);

  Eigen::VectorXd scaled(const Eigen::VectorXd& values) const;
  double unscaled(double scaled) const;
  // How far apart values are that are one apart on this scale, at one.
  double slope_at(double scaled) const;
  // Twice the sum of logarithms of the scale's slope, which a likelihood of scaled values lacks to one of values.
  double density(const Eigen::VectorXd& values) const;
  double bend() const { return bend_; }

  // The bend under which a process with these lengths explains the values best.
  static double best_bend(const Eigen::MatrixXd& units, const Eigen::VectorXd& values, const GaussianProcess::Lengths& lengths);

 private:
  double best_ = 0, unit_ = 1, bend_ = 0;
};

}  // namespace tundrel
