#include "optimality.h"

#include <algorithm>

namespace tundrel {

std::vector<int> unheld_parameters(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& slope) {
  std::vector<int> list;
  list.reserve(problem.size());
  for (int i = 0; i < problem.size(); ++i)
    if (!problem.bounds().holds(i, x[i], slope[i])) list.push_back(i);
  return list;
}

double residual_scale(Problem& problem, const Eigen::VectorXd& x, const Linearisation& at) {
  double scale = problem.response_norm();
  for (int i = 0; i < x.size(); ++i) {
    const double size = std::max(std::fabs(x[i]), problem.bounds().typical[i]);
    scale = std::max(scale, at.factor.col(i).norm() * size);
  }
  return scale;
}

double relative_offset(double reducible, const Linearisation& at, double scale) {
  const double against = std::max(at.residual_norm(), 1e-10 * scale);
  return against > 0 ? reducible / against : 0;
}

}  // namespace tundrel
