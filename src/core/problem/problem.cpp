#include "problem.h"

namespace tundrel {

Expansion Problem::expand(const Eigen::VectorXd& x) {
  Expansion out;
  const Linearisation at = linearise(x);
  if (!at.usable) return out;
  Eigen::MatrixXd curvature;
  if (!residual_curvature(x, curvature)) curvature = Eigen::MatrixXd::Zero(size(), size());
  out.usable = true;
  out.value = at.value;
  out.gradient = 2 * at.factor.transpose() * at.projected;
  out.hessian = 2 * (at.factor.transpose() * at.factor + curvature);
  return out;
}

}  // namespace tundrel
