#include "value_function_problem.h"

#include <cmath>

namespace tundrel {

double ValueFunctionProblem::value(const Eigen::VectorXd& x) {
  ++evaluations;
  const double found = value_(x);
  if (!std::isfinite(found)) ++refused;
  return found;
}

Expansion ValueFunctionProblem::expand(const Eigen::VectorXd& x) {
  const int p = size();
  Expansion out;
  out.value = value(x);
  if (!std::isfinite(out.value)) return out;
  out.gradient.resize(p);
  out.hessian.resize(p, p);
  if (gradient_) {
    ++evaluations;
    out.gradient = gradient_(x);
    for (int i = 0; i < p; ++i)
      if (!first_difference(gradient_, x, out.gradient, i, bounds_, true, out.hessian.col(i))) return out;
    out.hessian = 0.5 * (out.hessian + out.hessian.transpose()).eval();
  } else {
    const VectorFunction as_vector = [this](const Eigen::VectorXd& at) { return Eigen::VectorXd::Constant(1, value(at)); };
    for (int i = 0; i < p; ++i)
      if (!first_difference(as_vector, x, Eigen::VectorXd::Constant(1, out.value), i, bounds_, true, out.gradient.segment(i, 1)))
        return out;
    if (!second_differences([this](const Eigen::VectorXd& at) { return value(at); }, x, bounds_, out.hessian)) return out;
  }
  out.usable = out.gradient.allFinite() && out.hessian.allFinite();
  return out;
}

}  // namespace tundrel
