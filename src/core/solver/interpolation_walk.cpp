#include "interpolation_walk.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"

namespace tundrel {
namespace {

// Points up to this many radii away make the model; those that tell directions have to reach this share of the radius across all others.
constexpr double kWalkNear = 2.5, kAcross = 0.15;
// More points than a quadratic has numbers, by this factor, are not taken.
constexpr double kMore = 1.3;
constexpr double kRight = 0.3;
constexpr double kWalkGood = 0.7, kWalkPoor = 0.1, kGrow = 2, kShrink = 0.4;
// A step this short, in radii, is of no use to the model.
constexpr double kShort = 0.05;
constexpr double kWalkMostPoints = 1e6;

}  // namespace

void InterpolationWalk::begin(const Eigen::VectorXd& lower, const Eigen::VectorXd& upper, const Eigen::VectorXd& x, double value, double radius, double tolerance) {
  lower_ = lower;
  upper_ = upper;
  best_ = x;
  best_value_ = value;
  radius_ = radius;
  tolerance_ = tolerance;
  least_ = std::sqrt(tolerance) * radius;
  right_ = false;
  promised_ = 0;
  hessian_ = Eigen::MatrixXd::Zero(x.size(), x.size());
  points_ = x;
  values_ = Eigen::VectorXd::Constant(1, value);
  wanted_.resize(0);
  for_model_ = over_ = false;
  failed_ = 0;
}

void InterpolationWalk::know(const Eigen::VectorXd& x, double value) {
  if (!std::isfinite(value)) return;
  points_.conservativeResize(Eigen::NoChange, points_.cols() + 1);
  points_.rightCols(1) = x;
  values_.conservativeResize(values_.size() + 1);
  values_[values_.size() - 1] = value;
  if (value < best_value_) {
    best_ = x;
    best_value_ = value;
  }
}

std::vector<int> InterpolationWalk::chosen(Eigen::VectorXd& poor) const {
  const Eigen::Index p = best_.size();
  std::vector<int> order;
  std::vector<double> away(static_cast<std::size_t>(points_.cols()));
  for (Eigen::Index k = 0; k < points_.cols(); ++k) {
    away[static_cast<std::size_t>(k)] = (points_.col(k) - best_).cwiseAbs().maxCoeff();
    if (away[static_cast<std::size_t>(k)] <= kWalkNear * radius_) order.push_back(static_cast<int>(k));
  }
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return away[static_cast<std::size_t>(a)] < away[static_cast<std::size_t>(b)]; });
  // of the nearest, those that reach across what the ones before span
  std::vector<int> out, others;
  Eigen::MatrixXd spanned(p, 0);
  for (const int k : order) {
    const Eigen::VectorXd step = points_.col(k) - best_;
    const Eigen::VectorXd across = step - spanned * (spanned.transpose() * step);
    if (spanned.cols() < p && across.norm() > kAcross * radius_) {
      spanned.conservativeResize(p, spanned.cols() + 1);
      spanned.rightCols(1) = across.normalized();
      out.push_back(k);
    } else if (step.squaredNorm() == 0 && out.empty() && others.empty()) {
      out.push_back(k);  // the centre
    } else {
      others.push_back(k);
    }
  }
  poor.resize(0);
  if (spanned.cols() < p) {
    // a coordinate that the others tell least of
    Eigen::Index which;
    (Eigen::MatrixXd::Identity(p, p) - spanned * spanned.transpose()).colwise().norm().maxCoeff(&which);
    poor = Eigen::VectorXd::Unit(p, which) - spanned * spanned.row(which).transpose();
    poor.normalize();
    return out;
  }
  const auto most = static_cast<std::size_t>(std::ceil(kMore * static_cast<double>((p + 1) * (p + 2) / 2)));
  for (const int k : others) {
    if (out.size() >= most) break;
    out.push_back(k);
  }
  return out;
}

bool InterpolationWalk::ask_along(Eigen::VectorXd direction) {
  // to the side with more room
  double up = std::numeric_limits<double>::infinity(), down = up;
  for (Eigen::Index i = 0; i < best_.size(); ++i) {
    if (std::fabs(direction[i]) < 1e-14) continue;
    const double a = ((direction[i] > 0 ? upper_[i] : lower_[i]) - best_[i]) / direction[i];
    const double b = ((direction[i] > 0 ? lower_[i] : upper_[i]) - best_[i]) / -direction[i];
    up = std::min(up, a);
    down = std::min(down, b);
  }
  double length = std::min(up, radius_);
  if (up < 0.5 * radius_ && down > up) length = -std::min(down, radius_);
  if (std::fabs(length) < 1e-3 * radius_) return false;
  Eigen::VectorXd to = (best_ + length * direction).cwiseMax(lower_).cwiseMin(upper_);
  if (settle && !(settle(to) && std::fabs((to - best_).dot(direction)) > kAcross * radius_)) {
    to = (best_ - length * direction).cwiseMax(lower_).cwiseMin(upper_);
    if (!(settle(to) && std::fabs((to - best_).dot(direction)) > kAcross * radius_)) return false;
  }
  // a value that is known tells no new direction
  if ((points_.colwise() - to).cwiseAbs().colwise().maxCoeff().minCoeff() == 0) return false;
  wanted_ = to;
  promised_ = 0;
  for_model_ = true;
  return true;
}

void InterpolationWalk::shrink() {
  radius_ *= kShrink;
  if (radius_ < least_) over_ = true;
}

void InterpolationWalk::plan() {
  while (!over_) {
    Eigen::VectorXd poor;
    const std::vector<int> used = chosen(poor);
    if (poor.size() > 0) {
      if (ask_along(poor)) return;
      // no room that way: as far as it goes along the axes
      for (Eigen::Index i = 0; i < best_.size(); ++i)
        if (std::fabs(poor[i]) > 0.3 && ask_along(Eigen::VectorXd::Unit(best_.size(), i))) return;
      shrink();
      continue;
    }
    Eigen::MatrixXd steps(best_.size(), static_cast<Eigen::Index>(used.size()));
    Eigen::VectorXd values(steps.cols());
    for (Eigen::Index k = 0; k < steps.cols(); ++k) {
      steps.col(k) = points_.col(used[static_cast<std::size_t>(k)]) - best_;
      values[k] = values_[used[static_cast<std::size_t>(k)]] - best_value_;
    }
    QuadraticModel model;
    if (!fit_quadratic(steps, values, hessian_, model)) {
      shrink();
      continue;
    }
    hessian_ = model.hessian;
    const Eigen::VectorXd low = (lower_ - best_).cwiseMax(-radius_), high = (upper_ - best_).cwiseMin(radius_);
    Eigen::VectorXd step = lowest ? lowest(model, low, high) : lowest_within(model, low, high);
    if (settle) {
      Eigen::VectorXd to = best_ + step;
      if (!settle(to)) {
        shrink();
        continue;
      }
      step = to - best_;
    }
    promised_ = model.value - model.at(step);
    const double length = step.cwiseAbs().maxCoeff();
    const bool full = steps.cols() >= (best_.size() + 1) * (best_.size() + 2) / 2;
    if (right_ && full && !(promised_ > tolerance_ * std::max(values.maxCoeff() - values.minCoeff(), 1e-6 * std::fabs(best_value_)))) {
      over_ = true;
      break;
    }
    if (length < kShort * radius_ || !(promised_ > 1e-15 * std::fabs(best_value_))) {
      shrink();
      continue;
    }
    wanted_ = (best_ + step).cwiseMax(lower_).cwiseMin(upper_);
    for_model_ = false;
    return;
  }
  wanted_ = best_;
}

const Eigen::VectorXd& InterpolationWalk::ask() {
  if (wanted_.size() == 0) plan();
  return wanted_;
}

void InterpolationWalk::tell(double value) {
  const Eigen::VectorXd x = wanted_;
  const double before = best_value_;
  wanted_.resize(0);
  if (!std::isfinite(value)) {
    // what fails is out of reach
    if (for_model_ && ++failed_ % 2 == 1) {
      wanted_ = (2 * best_ - x).cwiseMax(lower_).cwiseMin(upper_);
      if ((wanted_ - best_).norm() > 1e-3 * radius_) return;
      wanted_.resize(0);
    }
    return shrink();
  }
  failed_ = 0;
  const double length = (x - best_).cwiseAbs().maxCoeff();
  know(x, value);
  if (for_model_) return;
  const double ratio = (before - value) / promised_;
  right_ = std::fabs(ratio - 1) < kRight;
  if (ratio > kWalkGood && length > 0.9 * radius_) {
    radius_ *= kGrow;
  } else if (ratio < kWalkPoor) {
    // a model whose points are near is to blame for itself; else nearer points come first
    shrink();
  }
}

void InterpolationWalk::visit(StateVisitor& v) {
  const Eigen::Index p = v.parameters();
  v.field("walk_lower", lower_, p);
  v.field("walk_upper", upper_, p);
  v.finite("walk_best", best_, p);
  v.field("walk_wanted", wanted_, StateVisitor::kAny);
  v.require(wanted_.size() == 0 || (wanted_.size() == best_.size() && wanted_.allFinite()), "walk_wanted");
  v.field("walk_best_value", best_value_);
  v.within("walk_radius", radius_, 0, kInfinity);
  v.within("walk_least", least_, 0, kInfinity);
  v.field("walk_promised", promised_);
  v.field("walk_points", points_, StateVisitor::kAny, StateVisitor::kAny);
  v.require(points_.allFinite() && points_.rows() == best_.size() && static_cast<double>(points_.cols()) <= kWalkMostPoints, "walk_points");
  v.finite("walk_hessian", hessian_, best_.size(), best_.size());
  v.finite("walk_values", values_, points_.cols());
  v.flag("walk_for_model", for_model_);
  v.flag("walk_over", over_);
  v.flag("walk_right", right_);
  v.within("walk_tolerance", tolerance_, 0, 1);
  v.small("walk_failed", failed_);
}

}  // namespace tundrel
