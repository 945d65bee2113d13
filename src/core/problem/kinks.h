// What may be asked of a criterion with kinks, and of one that is a sum over rows.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "expansion.h"

namespace tundrel {

// Kinks at a point: terms of the sum that are absolute values and nearly zero here. Kinks that are
// the same, value and gradient, are one with a count.
struct Kink {
  double value;
  Eigen::VectorXd gradient;
  Eigen::MatrixXd hessian;
  double count;
};

// A sum of smooth terms and absolute values, with those near zero set apart.
struct KinkedExpansion {
  bool usable = false;
  Expansion rest;            // all but the kinks near zero
  Eigen::VectorXd effort;    // for each parameter, the sum of its slope's absolute values over all rows
  std::vector<Kink> kinks;
  double rows = 1;
};

struct KinkSizes {
  double mean = 0;      // of the kinked terms
  double rounding = 0;  // below this a kinked term is zero but for rounding
};

class Kinks {
 public:
  virtual ~Kinks() = default;
  // Rounds kinks off over this width, in the units of the kinked terms; 0 leaves them sharp.
  virtual void smooth_by(double width) = 0;
  virtual KinkSizes kink_sizes(const Eigen::VectorXd& x) = 0;
  // Expansion with the kinks within `width` of zero set apart, at most `most` different ones.
  virtual KinkedExpansion expand_kinks(const Eigen::VectorXd& x, double width, int most) = 0;
};

// What rows say of the parameters, as triangles whose squares it is.
class RowSlopes {
 public:
  virtual ~RowSlopes() = default;
  // The expected information, empty where curvature tells it.
  virtual Eigen::MatrixXd expected_factor(const Eigen::VectorXd& x) = 0;
  // The sum over rows of the squares of their slopes.
  virtual Eigen::MatrixXd slopes_factor(const Eigen::VectorXd& x) = 0;
  // TRUE where uncertainty needs the spread of the rows' slopes beside the curvature.
  virtual bool spread_of_slopes() = 0;
};

}  // namespace tundrel
