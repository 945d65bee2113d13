#include <algorithm>
#include <cmath>

#include "../decompositions.h"
#include "information.h"
#include "../step/absolute_program.h"
#include "../step/active_set.h"
#include "../step/kink_balance.h"
#include "../step/sizes.h"
#include "verification.h"
#include "../problem/kinks.h"

namespace tundrel {
namespace {

// More different kinks at one point than this are not sorted out.
constexpr int kMostKinks = 2000;
// The curvature along a direction that is more than rounding, relative to the value.
constexpr double kKinkedFalls = 1e-9;

// A direction along which the kinks at zero, and conditions without room to spare, stay there and the rest of the criterion curves down: a saddle, or a
// maximum between kinks. `bends`, what conditions take off its curvature. Empty where there is none.
Eigen::VectorXd way_down(const KinkedExpansion& at, const Eigen::VectorXd& multipliers, const HeldBy& held, const Eigen::MatrixXd& bends,
                         const std::vector<int>& moving, const Eigen::VectorXd& sizes) {
  const auto n = static_cast<Eigen::Index>(moving.size()), kinks = static_cast<Eigen::Index>(at.kinks.size());
  Eigen::MatrixXd curvature(n, n), slopes(n, kinks + held.gradients.cols());
  for (Eigen::Index i = 0; i < n; ++i) {
    const int row = moving[static_cast<std::size_t>(i)];
    for (Eigen::Index j = 0; j < n; ++j) {
      const int column = moving[static_cast<std::size_t>(j)];
      double sum = at.rest.hessian(row, column) - (bends.size() > 0 ? bends(row, column) : 0);
      for (Eigen::Index k = 0; k < kinks; ++k) sum += multipliers[k] * at.kinks[static_cast<std::size_t>(k)].hessian(row, column);
      curvature(i, j) = sum * sizes[row] * sizes[column];
    }
    for (Eigen::Index k = 0; k < kinks; ++k) slopes(i, k) = at.kinks[static_cast<std::size_t>(k)].gradient[row] * sizes[row];
    for (Eigen::Index c = 0; c < held.gradients.cols(); ++c) slopes(i, kinks + c) = held.gradients(row, c) * sizes[row];
  }
  const Eigen::MatrixXd open = directions_left(slopes);
  if (open.cols() == 0) return {};
  const SymmetricSpectrum eigen = symmetric_spectrum(open.transpose() * curvature * open);
  const double rounding = kKinkedFalls * std::max(std::fabs(at.rest.value), curvature.cwiseAbs().maxCoeff());
  if (eigen.values[0] >= -rounding) return {};
  const Eigen::VectorXd direction = open * eigen.vectors.col(0);
  Eigen::VectorXd out = Eigen::VectorXd::Zero(sizes.size());
  for (Eigen::Index i = 0; i < n; ++i) out[moving[static_cast<std::size_t>(i)]] = direction[i] * sizes[moving[static_cast<std::size_t>(i)]];
  return out;
}

// Those among the active ones that are conditions between parameters, and which they are.
HeldBy held_by(const Problem& problem, const Eigen::VectorXd& x, const ActiveSet& active, std::vector<int>& which) {
  HeldBy out;
  out.gradients.resize(x.size(), 0);
  for (Eigen::Index k = 0; k < active.size(); ++k) {
    const int c = active.condition[static_cast<std::size_t>(k)];
    if (c < 0) continue;
    which.push_back(c);
    out.has_sign.push_back(active.has_sign[static_cast<std::size_t>(k)]);
  }
  if (which.empty()) return out;
  const Eigen::MatrixXd all = problem.joint->gradients(x);
  out.gradients.resize(x.size(), static_cast<Eigen::Index>(which.size()));
  for (std::size_t k = 0; k < which.size(); ++k) out.gradients.col(static_cast<Eigen::Index>(k)) = all.col(which[k]);
  return out;
}

}  // namespace

// At an optimum zero is among the slopes that the kinks allow: those of kinks at zero may take any
// multiplier from -1 to 1 (Clarke, Optimization and Nonsmooth Analysis, 1983).
Verification verify_kinked(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  const KinkSizes size = problem.kinks()->kink_sizes(x);
  const double value = problem.value(x);
  if (!std::isfinite(size.mean) || !std::isfinite(value)) return result;
  const KinkedExpansion at = problem.kinks()->expand_kinks(x, size.rounding, kMostKinks);
  result.value = value;
  const Bounds& bounds = problem.bounds();
  const Eigen::VectorXd sizes = parameter_sizes(problem, x);
  if (!at.usable) {
    // Every row is fitted exactly, or so many that no multipliers are worked out.
    result.slope = result.bound_multipliers = Eigen::VectorXd::Zero(x.size());
    if (problem.joint) result.multipliers = Eigen::VectorXd::Zero(problem.joint->count());
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
  const Eigen::MatrixXd information = problem.row_slopes()->expected_factor(x);
  const ActiveSet active = active_at(problem, x, sizes);
  std::vector<int> which;
  const HeldBy held = held_by(problem, x, active, which);
  const BalancedKinks balanced = balance_kinks(at, unit_steps(information, free), held);
  Eigen::MatrixXd bends;
  if (problem.joint) {
    result.multipliers = Eigen::VectorXd::Zero(problem.joint->count());
    for (std::size_t k = 0; k < which.size(); ++k) result.multipliers[which[k]] = balanced.weights[static_cast<Eigen::Index>(k)];
    bends = problem.joint->curvature(x, result.multipliers);
  }
  const Eigen::VectorXd& left = balanced.slope;
  result.slope = left;
  // Slopes are measured along steps of one length that are at right angles to each other: parameters alone may hide one along
  // which their effects nearly cancel.
  std::vector<int> moving;
  for (int i = 0; i < problem.size(); ++i) {
    if (at.effort[i] == 0 || bounds.holds(i, x[i], left[i])) continue;
    moving.push_back(i);
    if (std::find(result.dead.begin(), result.dead.end(), i) == result.dead.end()) alive.push_back(i);
  }
  if (!moving.empty()) result.gradient_norm = (unit_steps(information, moving).transpose() * left).norm() / std::sqrt(at.rows);
  result.n_alive = static_cast<int>(alive.size());
  result.factor = information_factor(problem, x, at.rest, alive);
  result.rank = determined_directions(result.factor, alive);
  result.bound_multipliers = bound_multipliers(bounds, x, left);
  result.way_down = way_down(at, balanced.multipliers, held, bends, alive, sizes);
  if (result.gradient_norm > kOptimalGradient)
    all_settled(problem, x, alive, -left.cwiseQuotient(at.effort.cwiseMax(1e-300)).cwiseProduct(sizes), result.runaway);
  const bool sinks = falls_into_open_limit(bounds, x, left, problem.value_unit(at.rest), result.runaway);
  conclude(problem, x, alive, result.way_down.size() == 0 && !sinks, result);
  if (!active.feasible) {
    result.converged = false;
    result.reason = StopReason::infeasible;
  }
  return result;
}

}  // namespace tundrel
