#include "verification.h"

#include <algorithm>
#include <cmath>

#include "../problem/squares.h"
#include "../step/nearest_point.h"
#include "settle_others.h"

namespace tundrel {
namespace {

// At an optimum an undamped step moves no parameter by more than this share of its size.
constexpr double kSettledShare = 1e-3;
// Beyond this many times its typical size an unsettled parameter is running away.
constexpr double kRunawayRatio = 30;
// Along an undetermined direction a walk changes nothing, and may go far: a product of two parameters can be divided between them in
// any way. Beyond this ratio the columns of the Jacobian can no longer be distinguished.
constexpr double kLostRatio = 1e6;

// Of so many places with the other sign each is so much nearer to zero than the one before; one is taken that is lower by more than rounding.
constexpr int kPlacesBeyond = 16;
constexpr double kNearerBeyond = 0.1, kLowerBeyond = 1e-9;

// Lengths, in sizes of the parameters, that are tried to leave a saddle; and changes of the value that are rounding.
constexpr double kFirstLeave = 0.3, kLastLeave = 1e-6, kShorterLeave = 0.25, kSameValue = 1e-13;

bool far_out(const Problem& problem, const Eigen::VectorXd& x, int i, double ratio = kRunawayRatio) {
  return std::fabs(x[i]) > ratio * problem.bounds().typical[i];
}

// A parameter that has left for such distances that it makes no difference any more how far it goes. No value is asked of a user's function for it.
constexpr double kDistantRatio = 1000, kNoDifference = 1e-8;
void find_lost(Problem& problem, const Eigen::VectorXd& x, Verification& result) {
  if (problem.calls_user()) return;
  for (int i = 0; i < x.size(); ++i) {
    if (!far_out(problem, x, i, kDistantRatio)) continue;
    Eigen::VectorXd further = x;
    further[i] *= 2;
    if (further[i] < problem.bounds().lower[i] || further[i] > problem.bounds().upper[i]) continue;
    if (std::fabs(problem.value(further) - result.value) <= kNoDifference * std::fabs(result.value)) result.runaway.push_back(i);
  }
}

// The same of one that others follow: further out, to twice and four times as far, the others find places at which the value is no higher, and hardly
// lower either, as it would be where another answer was met. Of a sigmoid that is steeper than its doses tell, the steepness runs away, and the
// middle goes along towards one of them. A place at which a parameter is not felt at all says nothing of how far it should go.
constexpr int kTimesFurther[] = {1, 3};
constexpr double kAnotherAnswer = 1e-3;
constexpr int kMostParametersFollowed = 30;
bool can_follow(Problem& problem) {
  return !problem.calls_user() && !problem.arrow() && !problem.joint && problem.form() != Form::kinked && problem.bounds().typical.size() <= kMostParametersFollowed;
}
void find_lost_with_others(Problem& problem, const Eigen::VectorXd& x, Verification& result) {
  const Bounds& bounds = problem.bounds();
  if (!can_follow(problem) || result.rank < result.n_alive || !result.dead.empty()) return;
  for (int i = 0; i < x.size(); ++i) {
    Eigen::VectorXd there = x;
    bool lost = true;
    for (const int times : kTimesFurther) {
      there[i] = x[i] + times * std::copysign(std::max(std::fabs(x[i]), bounds.typical[i]), x[i]);
      if (there[i] < bounds.lower[i] || there[i] > bounds.upper[i]) lost = false;
      if (!lost) break;
      settle_others(problem, {i}, there);
      const double rise = problem.value(there) - result.value;
      if (!(rise <= kNoDifference * std::fabs(result.value) && rise >= -kAnotherAnswer * std::fabs(result.value))) lost = false;
    }
    if (lost) result.runaway.push_back(i);
  }
}

// As its form wants it.
Verification verify_form(Problem& problem, const Eigen::VectorXd& x) {
  const Form form = problem.form();
  return problem.arrow() && !problem.joint       ? verify_arrow(problem, x)
         : form == Form::kinked                  ? verify_kinked(problem, x)
         : problem.joint || form == Form::smooth ? verify_smooth(problem, x)
                                               : verify_squares(problem, x);
}

}  // namespace

Verification verify(Problem& problem, const Eigen::VectorXd& x) {
  problem.refine();
  Verification result = verify_form(problem, x);
  // What derivatives that took few calls deny, they may be too coarse to see.
  if (problem.sparing && result.usable && !result.converged && result.way_down.size() == 0) {
    problem.sparing = false;
    result = verify_form(problem, x);
    problem.sparing = true;
  }
  if (!result.usable) result.reason = StopReason::failed;
  if (result.usable && !result.converged && result.reason == StopReason::stalled && result.way_down.size() == 0) {
    find_lost(problem, x, result);
    if (result.runaway.empty()) find_lost_with_others(problem, x, result);
    if (!result.runaway.empty()) result.reason = StopReason::diverged;
  }
  return result;
}

Eigen::VectorXd bound_multipliers(const Bounds& bounds, const Eigen::VectorXd& x, const Eigen::VectorXd& slope) {
  Eigen::VectorXd out = Eigen::VectorXd::Zero(x.size());
  for (int i = 0; i < x.size(); ++i)
    if (bounds.holds(i, x[i], slope[i])) out[i] = std::fabs(slope[i]);
  return out;
}

bool falls_into_open_limit(const Bounds& bounds, const Eigen::VectorXd& x, const Eigen::VectorXd& slope, double unit, std::vector<int>& runaway) {
  bool some = false;
  for (int i = 0; i < x.size(); ++i) {
    if (!bounds.holds(i, x[i], slope[i]) || !(slope[i] > 0 ? bounds.lower_open[i] : bounds.upper_open[i])) continue;
    const double distance = slope[i] > 0 ? x[i] - bounds.lower[i] : bounds.upper[i] - x[i];
    if (!(std::fabs(slope[i]) * distance > kFallsForEver * unit)) continue;
    runaway.push_back(i);
    some = true;
  }
  return some;
}

bool leave_along(Problem& problem, const Eigen::VectorXd& x, double value, const Eigen::VectorXd& direction, Eigen::VectorXd& to) {
  const Bounds& bounds = problem.bounds();
  double most = 0;
  for (int i = 0; i < x.size(); ++i)
    most = std::max(most, std::fabs(direction[i]) / std::max(std::fabs(x[i]), bounds.typical[i]));
  if (!(most > 0)) return false;
  const Eigen::VectorXd step = direction / most;
  double best = value - kSameValue * std::fabs(value);
  for (double length = kFirstLeave; length > kLastLeave; length *= kShorterLeave) {
    bool found = false;
    for (const double side : {1.0, -1.0}) {
      Eigen::VectorXd there = bounds.along(x, step, side * length);
      if (problem.joint && !nearest_inside(*problem.joint, bounds, there)) continue;
      const double now = problem.value(there);
      if (!(now < best)) continue;
      best = now;
      to = there;
      found = true;
    }
    if (found) return true;
  }
  return false;
}

bool leave_over_infinity(Problem& problem, const Eigen::VectorXd& x, double value, const std::vector<int>& runaway, Eigen::VectorXd& to) {
  const Bounds& bounds = problem.bounds();
  double best = value - kLowerBeyond * std::fabs(value);
  bool found = false;
  for (int i : runaway) {
    double size = std::fabs(x[i]);
    for (int k = 0; k < kPlacesBeyond && size >= bounds.typical[i]; ++k, size *= kNearerBeyond) {
      Eigen::VectorXd there = x;
      there[i] = std::copysign(size, -x[i]);
      if (there[i] < bounds.lower[i] || there[i] > bounds.upper[i]) break;
      if (problem.joint && problem.joint->misses(there).maxCoeff() > 0) continue;
      const double now = problem.value(there);
      if (!(now < best)) continue;
      best = now;
      to = there;
      found = true;
    }
  }
  return found;
}

bool leave_to_limit(Problem& problem, const Eigen::VectorXd& x, double value, Eigen::VectorXd& to) {
  if (!can_follow(problem)) return false;
  const Bounds& bounds = problem.bounds();
  for (int i = 0; i < x.size(); ++i) {
    const double limit = x[i] > 0 ? bounds.upper[i] : bounds.lower[i];
    if (!std::isfinite(limit) || limit == x[i] || (x[i] > 0 ? bounds.upper_open : bounds.lower_open)[i]) continue;
    to = x;
    to[i] = limit;
    settle_others(problem, {i}, to);
    if (problem.value(to) <= value) return true;
  }
  return false;
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

double least_felt(Problem& problem, double residual, double scale) {
  constexpr double kUnfelt = 1e-13;
  const double readings = problem.squares()->response_norm();
  return std::max(kDeadShare * residual, kUnfelt * (readings > 0 ? readings : scale));
}

}  // namespace tundrel
