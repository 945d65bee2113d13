#include "optimality.h"

#include <algorithm>

namespace tundrel {

std::vector<int> unheld_parameters(const Problem& problem, const Eigen::VectorXd& x,
                                   const Linearisation& at) {
  const Eigen::VectorXd slope = at.factor.transpose() * at.projected;
  std::vector<int> list;
  for (int i = 0; i < problem.size(); ++i)
    if (!problem.bounds().holds(i, x[i], slope[i])) list.push_back(i);
  return list;
}

double residual_scale(Problem& problem, const Eigen::VectorXd& x, const Linearisation& at) {
  const double effect =
      at.factor.cols() ? at.factor.colwise().norm().cwiseProduct(x.transpose().cwiseAbs()).maxCoeff() : 0;
  return std::max(problem.response_norm(), effect);
}

double relative_offset(double reducible, const Linearisation& at, double scale) {
  const double against = std::max(at.residual_norm(), 1e-10 * scale);
  return against > 0 ? reducible / against : 0;
}

}  // namespace tundrel
