#include "sizes.h"

#include <cmath>

namespace tundrel {

Eigen::VectorXd parameter_sizes(const Problem& problem, const Eigen::VectorXd& x) {
  return x.cwiseAbs().cwiseMax(problem.bounds().typical);
}

double scaled_decrement(Problem& problem, const Eigen::VectorXd& x, const Expansion& at, double decrement) {
  double unit = problem.value_unit(at);
  // Where the value has no unit of its own: what it changes by when a parameter moves by its size.
  if (!(unit > 0))
    unit = at.hessian.diagonal().cwiseAbs().cwiseProduct(parameter_sizes(problem, x).cwiseAbs2()).maxCoeff();
  return unit > 0 ? decrement / std::sqrt(unit) : decrement;
}

}  // namespace tundrel
