#include "kink_balance.h"

#include <algorithm>
#include <cmath>

#include "../decompositions.h"
#include "../numbers.h"
#include "linear_step.h"

namespace tundrel {
namespace {

// Sweeps over the multipliers when the least-squares ones are out of range.
constexpr int kMostSweeps = 2000;
constexpr double kBalanced = 1e-12;

}  // namespace

BalancedKinks balance_kinks(const KinkedExpansion& at, const Eigen::MatrixXd& steps, const HeldBy& conditions) {
  const auto kinks = static_cast<Eigen::Index>(at.kinks.size()), held = conditions.gradients.cols(), n = kinks + held, m = steps.cols();
  if (n == 0) return {at.rest.gradient, Eigen::VectorXd(0), Eigen::VectorXd(0)};
  Eigen::MatrixXd gradients(at.rest.gradient.size(), n);
  Eigen::VectorXd least(n), most(n);
  for (Eigen::Index k = 0; k < kinks; ++k) {
    gradients.col(k) = at.kinks[static_cast<std::size_t>(k)].gradient;
    most[k] = at.kinks[static_cast<std::size_t>(k)].count;
    least[k] = -most[k];
  }
  for (Eigen::Index c = 0; c < held; ++c) {
    gradients.col(kinks + c) = -conditions.gradients.col(c);
    most[kinks + c] = kInfinity;
    least[kinks + c] = conditions.has_sign[static_cast<std::size_t>(c)] ? 0 : -kInfinity;
  }
  const Eigen::MatrixXd a = steps.transpose() * gradients;
  const Eigen::VectorXd b = steps.transpose() * at.rest.gradient;
  Eigen::VectorXd multiplier = Eigen::VectorXd::Zero(n);
  if (m > 0) {
    multiplier = -shortest_solution(a, b);
    multiplier = multiplier.cwiseMin(most).cwiseMax(least);
    Eigen::VectorXd left = b + a * multiplier;
    // One multiplier at a time, within its range: a convex problem, so that this ends at the best ones.
    for (int sweep = 0; sweep < kMostSweeps && left.lpNorm<Eigen::Infinity>() > kBalanced; ++sweep) {
      for (Eigen::Index k = 0; k < n; ++k) {
        const double length = a.col(k).squaredNorm();
        if (!(length > 0)) continue;
        const double to = std::clamp(multiplier[k] - a.col(k).dot(left) / length, least[k], most[k]);
        left += a.col(k) * (to - multiplier[k]);
        multiplier[k] = to;
      }
    }
  }
  const Eigen::VectorXd slope = at.rest.gradient + gradients * multiplier;
  return {slope, multiplier.head(kinks), multiplier.tail(held)};
}

int determined_directions(const Eigen::MatrixXd& factor, const std::vector<int>& columns) {
  Eigen::VectorXd norms = factor.colwise().norm().transpose();
  for (int i = 0; i < norms.size(); ++i)
    if (!(norms[i] > 0)) norms[i] = 1;
  return LinearStep(factor, columns, norms, Eigen::VectorXd::Zero(factor.rows())).rank();
}

}  // namespace tundrel
