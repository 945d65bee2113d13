#include "verification.h"

#include <algorithm>

#include "linear_step.h"
#include "optimality.h"

namespace tundrel {
namespace {

// A parameter is dead where moving it by its whole size changes the fit by less than this share of
// the residual: no data could be said to speak of it.
constexpr double kDeadShare = 1e-8;
// At an optimum an undamped step moves no parameter by more than this share of its size.
constexpr double kSettledShare = 1e-3;
// Beyond this many times its typical size an unsettled parameter is running away.
constexpr double kRunawayRatio = 30;

}  // namespace

Verification verify(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  problem.refine();
  result.at = problem.linearise(x);
  const Linearisation& at = result.at;
  if (!at.usable) {
    result.reason = StopReason::failed;
    return result;
  }
  const Bounds& bounds = problem.bounds();
  const double scale = residual_scale(problem, x, at);
  const double residual = std::max(at.residual_norm(), 1e-10 * scale);
  const std::vector<int> unheld = unheld_parameters(problem, x, at);
  std::vector<int> alive;
  Eigen::VectorXd norms = at.factor.colwise().norm().transpose();
  for (int i : unheld) {
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
  bool settled = true;
  if (!alive.empty()) {
    const Eigen::VectorXd step =
        bounded_step(problem, x, at, alive, norms, std::numeric_limits<double>::infinity());
    for (int i : alive) {
      const double size = std::max(std::fabs(x[i]), bounds.typical[i]);
      if (std::fabs(step[i]) <= kSettledShare * size) continue;
      settled = false;
      if (std::fabs(x[i]) > kRunawayRatio * bounds.typical[i] && step[i] * x[i] > 0)
        result.runaway.push_back(i);
    }
  }
  for (int i : result.dead)
    if (std::fabs(x[i]) > kRunawayRatio * bounds.typical[i]) result.runaway.push_back(i);
  result.converged = result.dead.empty() && settled && result.gradient_norm <= kOptimalGradient;
  if (!result.converged)
    result.reason = result.runaway.empty() ? StopReason::stalled : StopReason::diverged;
  return result;
}

}  // namespace tundrel
