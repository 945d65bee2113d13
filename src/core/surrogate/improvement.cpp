#include "improvement.h"

#include <algorithm>
#include <cmath>

#include "../expression/probability.h"

namespace tundrel {
namespace {

constexpr double kLogRootTwoPi = 0.9189385332046727;
// Below this z the sum loses its digits, and a series serves.
constexpr double kFarBelow = -30;
// Success is modelled as one and failure as zero, told apart half-way with this doubt.
constexpr double kSuccessDoubt = 0.1;

double log_density(double z) { return -0.5 * z * z - kLogRootTwoPi; }

}  // namespace

double log_improvement(double z, double* slope) {
  double out;
  if (z > kFarBelow) {
    out = log_density(z) + std::log1p(z * std::exp(log_normal_probability(z) - log_density(z)));
  } else {
    // density(z) (1 - |z| mills(|z|)), and 1 - a mills(a) = 1 / a^2 - 3 / a^4 + 15 / a^6 - ...
    const double b = 1 / (z * z);
    out = log_density(z) + std::log(b * (1 - b * (3 - b * (15 - b * (105 - b * 945)))));
  }
  if (slope) *slope = std::exp(log_normal_probability(z) - out);
  return out;
}

Improvement::Improvement(const GaussianProcess& process, const GaussianProcess* success, double best, const Eigen::VectorXd& centre, double side)
    : process_(process), success_(success), best_(best), bounds_(Bounds::none(process.coordinates())) {
  // what is no more than there to tell points apart is no noise
  const double share = std::exp(process.lengths().log_noise);
  noise_ = share > 1e-6 ? share : 0;
  bounds_.lower.setZero();
  bounds_.upper.setOnes();
  if (side > 0) {
    bounds_.lower = (centre.array() - side / 2).max(0);
    bounds_.upper = (centre.array() + side / 2).min(1);
  }
}

double Improvement::value(const Eigen::VectorXd& unit) {
  const GaussianProcess::Prediction at = process_.predict(unit, false);
  if (!(at.variance > 0)) return std::numeric_limits<double>::infinity();
  const double sd = std::sqrt(at.variance * process_.variance()[0]);
  double out = std::log(sd) + log_improvement((best_ - at.mean[0]) / sd, nullptr);
  if (noise_ > 0) out += std::log1p(-std::sqrt(noise_ / (noise_ + at.variance)));
  if (success_) out += std::log(std::max(1e-300, success_at(unit)));
  return -out;
}

double Improvement::success_at(const Eigen::VectorXd& unit) const {
  const GaussianProcess::Prediction at = success_->predict(unit, false);
  return std::exp(log_normal_probability((at.mean[0] - 0.5) / std::sqrt(at.variance * success_->variance()[0] + kSuccessDoubt * kSuccessDoubt)));
}

Slope Improvement::slope(const Eigen::VectorXd& unit) {
  const GaussianProcess::Prediction at = process_.predict(unit, true);
  if (!(at.variance > 0)) return {};
  const double sd = std::sqrt(at.variance * process_.variance()[0]), z = (best_ - at.mean[0]) / sd;
  const Eigen::VectorXd sd_slope = 0.5 * process_.variance()[0] / sd * at.variance_slope;
  double per_z = 0;
  double out = std::log(sd) + log_improvement(z, &per_z);
  Eigen::VectorXd gradient = sd_slope / sd + per_z * (-at.mean_slope.col(0) - z * sd_slope) / sd;
  if (noise_ > 0) {
    const double root = std::sqrt(noise_ / (noise_ + at.variance));
    out += std::log1p(-root);
    gradient += 0.5 * root / ((1 - root) * (noise_ + at.variance)) * at.variance_slope;
  }
  if (success_) {
    const GaussianProcess::Prediction s = success_->predict(unit, true);
    const double doubt = s.variance * success_->variance()[0] + kSuccessDoubt * kSuccessDoubt, root = std::sqrt(doubt), t = (s.mean[0] - 0.5) / root;
    const double log_probability = log_normal_probability(t);
    const double ratio = std::exp(std::min(700.0, log_density(t) - log_probability));
    out += std::max(-690.0, log_probability);
    gradient += ratio * (s.mean_slope.col(0) / root - 0.5 * t / doubt * success_->variance()[0] * s.variance_slope);
  }
  if (!std::isfinite(out) || !gradient.allFinite()) return {};
  return {true, -out, -gradient};
}

}  // namespace tundrel
