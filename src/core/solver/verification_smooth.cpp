#include <cmath>
#include <limits>

#include "../inference/information.h"
#include "newton.h"
#include "optimality.h"
#include "quadratic_step.h"
#include "verification.h"

namespace tundrel {
namespace {

// A parameter is dead where moving it by its whole size changes the value by less than this share of
// what matters in it.
bool is_dead(const Expansion& at, int i, double size, double unit) {
  const double change = std::fabs(at.gradient[i]) * size + std::fabs(at.hessian(i, i)) * size * size;
  return change <= kDeadShare * kDeadShare * unit;
}

}  // namespace

// The slope vanishes, measured against the curvature, and the value curves up in every direction.
Verification verify_smooth(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  const Expansion at = problem.expand(x);
  if (!at.usable) return result;
  result.value = at.value;
  result.slope = at.gradient;
  const Eigen::VectorXd sizes = parameter_sizes(problem, x);
  const double unit = problem.value_unit(at) > 0 ? problem.value_unit(at) : std::fabs(at.value);
  std::vector<int> alive;
  for (int i : unheld_parameters(problem, x, at.gradient))
    (is_dead(at, i, sizes[i], unit) ? result.dead : alive).push_back(i);
  const QuadraticStep model = quadratic_step(at, alive);
  result.n_alive = static_cast<int>(alive.size());
  result.rank = model.rank();
  result.gradient_norm = scaled_decrement(problem, x, at, model.decrement());
  result.factor = information_factor(problem, x, at, alive);
  const Eigen::VectorXd step =
      bounded_quadratic_step(problem, x, at, alive, sizes, std::numeric_limits<double>::infinity());
  const bool settled = all_settled(problem, x, alive, step, result.runaway);
  conclude(problem, x, alive, settled && model.convex(), result);
  return result;
}

}  // namespace tundrel
