#include "problem.h"

namespace tundrel {

Slope Problem::slope(const Eigen::VectorXd& x) {
  if (form() == Form::squares) {
    const Linearisation at = linearise(x);
    if (!at.usable) return {};
    return {true, at.value, 2 * at.factor.transpose() * at.projected};
  }
  const Expansion at = expand(x);
  return {at.usable, at.value, at.gradient};
}

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
