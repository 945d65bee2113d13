#include <algorithm>
#include <cmath>
#include <limits>

#include "linear_step.h"
#include "optimality.h"
#include "verification.h"

namespace tundrel {

Verification verify_squares(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  const Linearisation at = problem.linearise(x);
  if (!at.usable) return result;
  result.value = at.value;
  result.factor = at.factor;
  result.slope = 2 * at.factor.transpose() * at.projected;
  const Bounds& bounds = problem.bounds();
  const double scale = residual_scale(problem, x, at);
  const double residual = std::max(at.residual_norm(), 1e-10 * scale);
  std::vector<int> alive;
  Eigen::VectorXd norms = at.factor.colwise().norm().transpose();
  for (int i : unheld_parameters(problem, x, result.slope)) {
    const double size = std::max(std::fabs(x[i]), bounds.typical[i]);
    if (norms[i] * size <= kDeadShare * residual)
      result.dead.push_back(i);
    else
      alive.push_back(i);
  }
  for (int i = 0; i < norms.size(); ++i)
    if (norms[i] == 0) norms[i] = 1;
  const LinearStep linear(scaled_columns(at.factor, alive, norms), at.projected);
  result.n_alive = static_cast<int>(alive.size());
  result.rank = linear.rank();
  result.gradient_norm = relative_offset(linear.reducible(), at, scale);
  const Eigen::VectorXd step =
      bounded_step(problem, x, at, alive, norms, std::numeric_limits<double>::infinity());
  conclude(problem, x, all_settled(problem, x, alive, step, result.runaway), result);
  return result;
}

}  // namespace tundrel
