#include "value_function_problem.h"

#include <cmath>

namespace tundrel {

double ValueFunctionProblem::value(const Eigen::VectorXd& x) {
  ++evaluations;
  const double found = value_(x);
  if (!std::isfinite(found)) ++refused;
  return found;
}

Slope ValueFunctionProblem::slope(const Eigen::VectorXd& x) {
  Slope out;
  out.value = value(x);
  if (!std::isfinite(out.value)) return out;
  out.gradient.resize(size());
  if (gradient_) {
    ++evaluations;
    out.gradient = gradient_(x);
  } else {
    const VectorFunction as_vector = [this](const Eigen::VectorXd& at) { return Eigen::VectorXd::Constant(1, value(at)); };
    const Eigen::VectorXd at_x = Eigen::VectorXd::Constant(1, out.value);
    for (int i = 0; i < size(); ++i)
      if (!first_difference(as_vector, x, at_x, i, bounds_, true, out.gradient.segment(i, 1))) return out;
  }
  out.usable = out.gradient.allFinite();
  return out;
}

Expansion ValueFunctionProblem::expand(const Eigen::VectorXd& x) {
  const int p = size();
  const Slope at = slope(x);
  Expansion out{false, at.value, at.gradient, Eigen::MatrixXd(p, p)};
  if (!at.usable) return out;
  if (gradient_) {
    for (int i = 0; i < p; ++i)
      if (!first_difference(gradient_, x, out.gradient, i, bounds_, true, out.hessian.col(i))) return out;
    out.hessian = 0.5 * (out.hessian + out.hessian.transpose()).eval();
  } else if (!second_differences([this](const Eigen::VectorXd& to) { return value(to); }, x, bounds_, out.hessian)) {
    return out;
  }
  out.usable = out.hessian.allFinite();
  return out;
}

}  // namespace tundrel
