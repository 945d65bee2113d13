#include "kink_balance.h"

#include <Eigen/QR>
#include <algorithm>
#include <cmath>

#include "linear_step.h"

namespace tundrel {
namespace {

// Sweeps over the multipliers when the least-squares ones are out of range.
constexpr int kMostSweeps = 2000;
constexpr double kBalanced = 1e-12;

}  // namespace

BalancedKinks balance_kinks(const KinkedExpansion& at, const std::vector<int>& free) {
  const int n = static_cast<int>(at.kinks.size()), m = static_cast<int>(free.size());
  if (n == 0) return {at.rest.gradient, Eigen::VectorXd(0)};
  // Each parameter's slope as a share of its effort, so that units do not matter.
  Eigen::MatrixXd a(m, n);
  Eigen::VectorXd b(m), most(n);
  for (int j = 0; j < m; ++j) {
    const double effort = at.effort[free[j]];
    b[j] = at.rest.gradient[free[j]] / effort;
    for (int k = 0; k < n; ++k) a(j, k) = at.kinks[k].gradient[free[j]] / effort;
  }
  for (int k = 0; k < n; ++k) most[k] = at.kinks[k].count;
  Eigen::VectorXd multiplier = Eigen::VectorXd::Zero(n);
  if (m > 0) {
    multiplier = -a.completeOrthogonalDecomposition().solve(b);
    multiplier = multiplier.cwiseMin(most).cwiseMax(-most);
    Eigen::VectorXd left = b + a * multiplier;
    // One multiplier at a time, within its range: a convex problem, so that this ends at the best ones.
    for (int sweep = 0; sweep < kMostSweeps && left.lpNorm<Eigen::Infinity>() > kBalanced; ++sweep) {
      for (int k = 0; k < n; ++k) {
        const double length = a.col(k).squaredNorm();
        if (!(length > 0)) continue;
        const double to = std::clamp(multiplier[k] - a.col(k).dot(left) / length, -most[k], most[k]);
        left += a.col(k) * (to - multiplier[k]);
        multiplier[k] = to;
      }
    }
  }
  Eigen::VectorXd slope = at.rest.gradient;
  for (int k = 0; k < n; ++k) slope += multiplier[k] * at.kinks[k].gradient;
  return {slope, multiplier};
}

int determined_directions(const Eigen::MatrixXd& factor, const std::vector<int>& columns) {
  Eigen::VectorXd norms = factor.colwise().norm().transpose();
  for (int i = 0; i < norms.size(); ++i)
    if (!(norms[i] > 0)) norms[i] = 1;
  return LinearStep(factor, columns, norms, Eigen::VectorXd::Zero(factor.rows())).rank();
}

}  // namespace tundrel
