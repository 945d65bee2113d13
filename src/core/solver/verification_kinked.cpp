#include <algorithm>
#include <cmath>

#include "../inference/information.h"
#include "kink_balance.h"
#include "newton.h"
#include "verification.h"

namespace tundrel {
namespace {

// More different kinks at one point than this are not sorted out.
constexpr int kMostKinks = 2000;

}  // namespace

// At an optimum zero is among the slopes that the kinks allow: those of kinks at zero may take any
// multiplier from -1 to 1 (Clarke, Optimization and Nonsmooth Analysis, 1983).
Verification verify_kinked(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  const KinkSizes size = problem.kink_sizes(x);
  const double value = problem.value(x);
  if (!std::isfinite(size.mean) || !std::isfinite(value)) return result;
  const KinkedExpansion at = problem.expand_kinks(x, size.rounding, kMostKinks);
  result.value = value;
  const Bounds& bounds = problem.bounds();
  const Eigen::VectorXd sizes = parameter_sizes(problem, x);
  if (!at.usable) {
    // Every row is fitted exactly, or so many that no multipliers are worked out.
    result.slope = Eigen::VectorXd::Zero(x.size());
    result.factor = Eigen::MatrixXd::Zero(x.size(), x.size());
    result.gradient_norm = size.mean <= size.rounding ? 0 : 1;
    conclude(problem, x, {}, true, result);
    return result;
  }
  std::vector<int> free, alive;
  for (int i = 0; i < problem.size(); ++i) {
    if (at.effort[i] * sizes[i] <= kDeadShare * size.mean)
      result.dead.push_back(i);
    else if (!bounds.rests_low(i, x[i]) && !bounds.rests_high(i, x[i]))
      free.push_back(i);
  }
  const Eigen::VectorXd left = balanced_slope(at, free);
  result.slope = left;
  for (int i = 0; i < problem.size(); ++i) {
    if (at.effort[i] == 0 || bounds.holds(i, x[i], left[i])) continue;
    result.gradient_norm = std::max(result.gradient_norm, std::fabs(left[i]) / at.effort[i]);
    if (std::find(result.dead.begin(), result.dead.end(), i) == result.dead.end()) alive.push_back(i);
  }
  result.n_alive = static_cast<int>(alive.size());
  result.factor = information_factor(problem, x, at.rest, alive);
  result.rank = determined_directions(result.factor, alive);
  if (result.gradient_norm > kOptimalGradient)
    all_settled(problem, x, alive, -left.cwiseQuotient(at.effort.cwiseMax(1e-300)).cwiseProduct(sizes), result.runaway);
  conclude(problem, x, alive, true, result);
  return result;
}

}  // namespace tundrel
