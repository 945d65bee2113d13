#include "verification.h"

#include <algorithm>
#include <cmath>

namespace tundrel {
namespace {

// At an optimum an undamped step moves no parameter by more than this share of its size.
constexpr double kSettledShare = 1e-3;
// Beyond this many times its typical size an unsettled parameter is running away.
constexpr double kRunawayRatio = 30;
// Where the data leave a direction open, nothing need be felt of a walk along it. A product of two parameters may well
// be shared out in an odd way; what has come this far has gone on until columns of the Jacobian could not be told apart.
constexpr double kLostRatio = 1e6;

bool far_out(const Problem& problem, const Eigen::VectorXd& x, int i, double ratio = kRunawayRatio) {
  return std::fabs(x[i]) > ratio * problem.bounds().typical[i];
}

}  // namespace

Verification verify(Problem& problem, const Eigen::VectorXd& x) {
  problem.refine();
  Verification result = problem.joint                    ? verify_joint(problem, x)
                        : problem.form() == Form::squares  ? verify_squares(problem, x)
                        : problem.form() == Form::smooth ? verify_smooth(problem, x)
                                                         : verify_kinked(problem, x);
  if (!result.usable) result.reason = StopReason::failed;
  return result;
}

bool all_settled(const Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& alive,
                 const Eigen::VectorXd& step, std::vector<int>& runaway) {
  bool settled = true;
  for (int i : alive) {
    const double size = std::max(std::fabs(x[i]), problem.bounds().typical[i]);
    if (std::fabs(step[i]) <= kSettledShare * size) continue;
    settled = false;
    if (far_out(problem, x, i) && step[i] * x[i] > 0) runaway.push_back(i);
  }
  return settled;
}

void conclude(const Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& alive, bool optimal,
              Verification& result) {
  for (int i : result.dead)
    if (far_out(problem, x, i)) result.runaway.push_back(i);
  bool lost = false;
  if (result.rank < result.n_alive)
    for (int i : alive)
      if (far_out(problem, x, i, kLostRatio)) {
        lost = true;
        if (std::find(result.runaway.begin(), result.runaway.end(), i) == result.runaway.end()) result.runaway.push_back(i);
      }
  result.usable = true;
  result.converged = optimal && !lost && result.dead.empty() && result.gradient_norm <= kOptimalGradient;
  if (!result.converged) result.reason = result.runaway.empty() ? StopReason::stalled : StopReason::diverged;
}

}  // namespace tundrel
