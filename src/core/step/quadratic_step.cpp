#include "quadratic_step.h"

#include <cmath>

#include "../decompositions.h"
#include "../numbers.h"

namespace tundrel {
namespace {

// The radius is met to this share; closer is not worth its cost.
constexpr double kQuadraticRadiusShare = 0.05;
// A slope along a flat direction counts as if it curved by this share of the largest curvature: small
// enough to tell, large enough to let rounding pass.
constexpr double kFlatShare = 1e-6;

}  // namespace

QuadraticStep::QuadraticStep(const Eigen::VectorXd& gradient, const Eigen::MatrixXd& hessian)
    : scale_(hessian.diagonal().cwiseAbs().cwiseSqrt()) {
  if (gradient.size() == 0) return;
  for (int i = 0; i < scale_.size(); ++i)
    if (!(scale_[i] > 0)) scale_[i] = 1;
  const Eigen::VectorXd unit = scale_.cwiseInverse();
  const SymmetricSpectrum eigen = symmetric_spectrum(unit.asDiagonal() * hessian * unit.asDiagonal());
  values_ = eigen.values;
  vectors_ = eigen.vectors;
  c_ = vectors_.transpose() * unit.cwiseProduct(gradient);
  floor_ = 10.0 * static_cast<double>(gradient.size()) * kEpsilon * values_.cwiseAbs().maxCoeff();
  convex_ = values_[0] >= -floor_;
  rank_ = static_cast<int>((values_.array() > floor_).count());
}

double QuadraticStep::flat_curvature() const { return kFlatShare * values_.cwiseAbs().maxCoeff(); }

double QuadraticStep::decrement() const {
  double sum = 0;
  for (int i = 0; i < c_.size(); ++i)
    if (c_[i] != 0) sum += c_[i] * c_[i] / (is_flat(i) ? flat_curvature() : std::fabs(values_[i]));
  return std::sqrt(sum);
}

double QuadraticStep::flat_reach() const {
  double sum = 0;
  for (int i = 0; i < c_.size(); ++i)
    if (c_[i] != 0 && is_flat(i)) sum += std::pow(c_[i] / flat_curvature(), 2);
  return std::sqrt(sum);
}

Eigen::VectorXd QuadraticStep::undamped() const {
  Eigen::VectorXd t = Eigen::VectorXd::Zero(c_.size());
  for (int i = 0; i < c_.size(); ++i)
    if (values_[i] > floor_) t[i] = -c_[i] / values_[i];
  return (vectors_ * t).cwiseQuotient(scale_);
}

Eigen::VectorXd step_within(const Eigen::VectorXd& gradient, const Eigen::MatrixXd& hessian, double radius) {
  const SymmetricSpectrum eigen = symmetric_spectrum(hessian);
  const Eigen::ArrayXd values = eigen.values.array();
  const Eigen::ArrayXd c = (eigen.vectors.transpose() * gradient).array();
  const double largest = values.abs().maxCoeff();
  const auto step = [&](double damping) -> Eigen::ArrayXd {
    return (values + damping > kEpsilon * largest).select(-c / (values + damping), 0.0);
  };
  if (values[0] > kEpsilon * largest) {
    const Eigen::ArrayXd whole = step(0);
    if (whole.matrix().norm() <= radius) return eigen.vectors * whole.matrix();
  }
  // |step(damping)| falls from infinity at -values[0], unless the gradient has no part along that
  // direction: then the step is filled up along it to the radius.
  double low = std::max(0.0, -values[0]), high = low + c.matrix().norm() / radius;
  if (!(c.matrix().norm() > 0)) high = low + largest;
  Eigen::ArrayXd best = step(low);
  const bool slopes = (values + low <= kEpsilon * largest && c.abs() > kEpsilon * c.matrix().norm()).any();
  if (values[0] <= kEpsilon * largest && best.matrix().norm() < radius && !slopes) {
    if (values[0] < -kEpsilon * largest)
      best[0] = (c[0] > 0 ? -1 : 1) * std::sqrt(radius * radius - best.matrix().squaredNorm() + best[0] * best[0]);
    return eigen.vectors * best.matrix();
  }
  double damping = high;
  for (int i = 0; i < 100; ++i) {
    best = step(damping);
    const double length = best.matrix().norm();
    if (std::fabs(length - radius) <= kQuadraticRadiusShare * radius) break;
    (length > radius ? low : high) = damping;
    const double slope = (best.square() / (values + damping)).sum() / length;
    damping += (length - radius) / radius * length / slope;
    if (!(damping > low && damping < high)) damping = 0.5 * (low + high);
  }
  return eigen.vectors * best.matrix();
}

double predicted_change(const Expansion& at, const Eigen::VectorXd& step) {
  return at.gradient.dot(step) + 0.5 * step.dot(at.hessian * step);
}

namespace {

struct Model {
  Eigen::VectorXd gradient;
  Eigen::MatrixXd hessian;
};

// The model in some parameters, each in its own unit, after a step in others.
Model model_in(const Expansion& at, const std::vector<int>& moving, const Eigen::VectorXd& step, const Eigen::VectorXd& sizes) {
  const int m = static_cast<int>(moving.size());
  const Eigen::VectorXd slope = at.gradient + at.hessian * step;
  Model out{Eigen::VectorXd(m), Eigen::MatrixXd(m, m)};
  for (int i = 0; i < m; ++i) {
    out.gradient[i] = slope[moving[i]] * sizes[moving[i]];
    for (int j = 0; j < m; ++j)
      out.hessian(i, j) = at.hessian(moving[i], moving[j]) * sizes[moving[i]] * sizes[moving[j]];
  }
  return out;
}

}  // namespace

QuadraticStep quadratic_step(const Expansion& at, const std::vector<int>& moving) {
  const int p = static_cast<int>(at.gradient.size());
  const Model model = model_in(at, moving, Eigen::VectorXd::Zero(p), Eigen::VectorXd::Ones(p));
  return QuadraticStep(model.gradient, model.hessian);
}

Eigen::VectorXd bounded_quadratic_step(const Problem& problem, const Eigen::VectorXd& x, const Expansion& at,
                                       const std::vector<int>& unheld, const Eigen::VectorXd& sizes, double radius) {
  const Bounds& bounds = problem.bounds();
  Eigen::VectorXd step = Eigen::VectorXd::Zero(problem.size());
  std::vector<int> moving = unheld;
  // Each pass stops at least one parameter, so that there are no more passes than parameters.
  while (!moving.empty()) {
    const Model model = model_in(at, moving, step, sizes);
    const double used = step.cwiseQuotient(sizes).squaredNorm();
    const QuadraticStep whole(model.gradient, model.hessian);
    const double left = std::sqrt(std::max(0.0, radius * radius - used));
    Eigen::VectorXd part = Eigen::VectorXd::Zero(moving.size());
    if (whole.convex() && whole.rank() > 0) part = whole.undamped();
    const bool short_enough = whole.convex() && whole.rank() > 0 && part.norm() <= left && whole.flat_reach() <= left;
    if (std::isfinite(radius) && !short_enough)
      part = left > 0 ? step_within(model.gradient, model.hessian, left) : Eigen::VectorXd::Zero(moving.size());
    for (std::size_t k = 0; k < moving.size(); ++k) part[k] *= sizes[moving[k]];
    if (!bounds.stop_leaving(x, part, moving, step)) break;
  }
  return step;
}

}  // namespace tundrel
