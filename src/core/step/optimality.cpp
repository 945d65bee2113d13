#include "optimality.h"

#include <algorithm>
#include <cmath>

namespace tundrel {

void find_unheld(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& slope, std::vector<int>& list) {
  const Bounds& bounds = problem.bounds();
  list.resize(x.size());
  int n = 0;
  for (int i = 0; i < x.size(); ++i)
    if (!bounds.holds(i, x[i], slope[i])) list[n++] = i;
  list.resize(n);
}

std::vector<int> unheld_parameters(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& slope) {
  std::vector<int> list;
  find_unheld(problem, x, slope, list);
  return list;
}

double residual_scale(Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& norms) {
  const double response = problem.squares()->response_norm();
  if (norms.size() == 0) return response;
  // without readings only the sizes to expect say what is small
  if (!(response > 0)) return norms.cwiseProduct(x.cwiseAbs().cwiseMax(problem.bounds().typical)).maxCoeff();
  // terms that cancel may hide a fit that misses all readings, which is no exact one
  return std::max(response, std::min(norms.cwiseProduct(x.cwiseAbs()).maxCoeff(), response / kExactShare));
}

double relative_offset(double reducible, const Linearisation& at, double scale) {
  const double against = std::max(at.residual_norm(), kExactShare * scale);
  return against > 0 ? reducible / against : 0;
}

}  // namespace tundrel
