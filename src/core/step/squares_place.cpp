#include "squares_place.h"

#include <algorithm>
#include <cmath>

namespace tundrel {
namespace {

// Acceleration may be this share of the velocity (alpha of Transtrum and Sethna).
constexpr double kMostBend = 0.75;
// A step that differs by more than this share from the one without bounds was cut short.
constexpr double kCutShort = 1e-6;

}  // namespace

double scaled_length(const Eigen::VectorXd& scale, const Eigen::VectorXd& x) {
  double square = 0;
  for (Eigen::Index i = 0; i < x.size(); ++i) square += scale[i] * x[i] * (scale[i] * x[i]);
  return std::sqrt(square);
}

void SquaresPlace::complete(Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& scale_so_far) {
  at.column_norms(norms);
  scale.resize(x.size());
  for (Eigen::Index i = 0; i < x.size(); ++i) scale[i] = std::max(scale_so_far[i], norms[i]);
  at.slope(slope_);
  find_unheld(problem, x, slope_, unheld);
  linear.set(at.factor, unheld, scale, at.projected);
  gradient_norm = relative_offset(linear.reducible(), at, residual_scale(problem, x, norms));
}

void SquaresPlace::complete_stored() {
  at.column_norms(norms);
  linear.set(at.factor, unheld, scale, at.projected);
}

Eigen::VectorXd SquaresPlace::first_scale(const Problem& problem) const {
  const Eigen::Index p = at.factor.cols();
  Eigen::VectorXd out = Eigen::VectorXd::Zero(p);
  const double residual = at.value > 0 ? at.residual_norm() : 1;
  for (Eigen::Index i = 0; i < p; ++i)
    if (at.factor.col(i).isZero(0)) out[i] = residual / problem.bounds().typical[i];
  return out;
}

bool SquaresPlace::cut_short(const Eigen::VectorXd& step, double radius) const {
  const Eigen::VectorXd& straight = linear.within(radius);
  const double slack = kCutShort * straight.norm();
  for (std::size_t k = 0; k < unheld.size(); ++k)
    if (std::fabs(straight[static_cast<Eigen::Index>(k)] - step[unheld[k]] * scale[unheld[k]]) > slack) return true;
  return false;
}

SquaresPlace::Bend SquaresPlace::add_bend(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& second, double radius,
                                          Eigen::VectorXd& step) const {
  const double damping = linear.damping_within(radius);
  const double straight = linear.within(radius).norm();
  Eigen::VectorXd scaled(static_cast<Eigen::Index>(unheld.size()));
  for (std::size_t k = 0; k < unheld.size(); ++k) scaled[static_cast<Eigen::Index>(k)] = second[unheld[k]] / scale[unheld[k]];
  const Eigen::VectorXd acceleration = -0.5 * linear.solve(damping, scaled);
  if (!(2 * acceleration.norm() <= kMostBend * straight)) return Bend::too_much;
  Eigen::VectorXd bent = step;
  for (std::size_t k = 0; k < unheld.size(); ++k) bent[unheld[k]] += acceleration[static_cast<Eigen::Index>(k)] / scale[unheld[k]];
  if (problem.bounds().reach_along(x, bent) < 1) return Bend::none;
  step = bent;
  return Bend::added;
}

bool SquaresPlace::newton_step(const Problem& problem, const Eigen::VectorXd& x, const Eigen::MatrixXd& curvature, Eigen::VectorXd& step,
                               double& bending) {
  const auto n = static_cast<Eigen::Index>(unheld.size());
  extra_.resize(n, n);
  for (Eigen::Index j = 0; j < n; ++j)
    for (Eigen::Index i = 0; i < n; ++i) extra_(i, j) = curvature(unheld[i], unheld[j]) / (scale[unheld[i]] * scale[unheld[j]]);
  if (!linear.with_curvature(extra_, part_)) return false;
  bending = 0;
  for (Eigen::Index j = 0; j < n; ++j)
    for (Eigen::Index i = 0; i < n; ++i) bending += part_[i] * extra_(i, j) * part_[j];
  step.setZero(x.size());
  for (Eigen::Index k = 0; k < n; ++k) {
    const int i = unheld[k];
    step[i] = part_[k] / scale[i];
    if (step[i] < problem.bounds().reach_down(i, x[i]) || step[i] > problem.bounds().reach_up(i, x[i])) return false;
  }
  return true;
}

}  // namespace tundrel
