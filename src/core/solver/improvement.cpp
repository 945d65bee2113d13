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
constexpr double kLeastLog = -690;
// A log-normal sum whose logarithm has a standard deviation below this is known.
constexpr double kCertain = 1e-7;

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

Worth::Worth(const GaussianProcess& process, const GaussianProcess* success, const Eigen::VectorXd& centre, double side)
    : process_(process), success_(success), bounds_(Bounds::none(process.coordinates())) {
  bounds_.lower.setZero();
  bounds_.upper.setOnes();
  if (side > 0) {
    bounds_.lower = (centre.array() - side / 2).max(0);
    bounds_.upper = (centre.array() + side / 2).min(1);
  }
}

double Worth::log_success(const Eigen::VectorXd& unit, Eigen::VectorXd* slope) const {
  const GaussianProcess::Prediction at = success_->predict(unit, slope != nullptr);
  const double doubt = at.variance * success_->variance()[0] + kSuccessDoubt * kSuccessDoubt, root = std::sqrt(doubt), t = (at.mean[0] - 0.5) / root;
  const double out = std::max(kLeastLog, log_normal_probability(t));
  if (slope) {
    const double ratio = std::exp(std::min(-kLeastLog, log_density(t) - out));
    *slope = ratio * (at.mean_slope.col(0) / root - 0.5 * t / doubt * success_->variance()[0] * at.variance_slope);
  }
  return out;
}

double Worth::value(const Eigen::VectorXd& unit) {
  double out;
  if (!improvement(unit, out, nullptr)) return std::numeric_limits<double>::infinity();
  if (success_) out += log_success(unit, nullptr);
  return -out;
}

Slope Worth::slope(const Eigen::VectorXd& unit) {
  double out;
  Eigen::VectorXd gradient, more;
  if (!improvement(unit, out, &gradient)) return {};
  if (success_) {
    out += log_success(unit, &more);
    gradient += more;
  }
  if (!std::isfinite(out) || !gradient.allFinite()) return {};
  return {true, -out, -gradient};
}

Improvement::Improvement(const GaussianProcess& process, const GaussianProcess* success, double best, const Eigen::VectorXd& centre, double side)
    : Worth(process, success, centre, side), best_(best) {
  // what is no more than there to tell points apart is no noise
  const double share = std::exp(process.lengths().log_noise);
  noise_ = share > 1e-6 ? share : 0;
}

bool Improvement::improvement(const Eigen::VectorXd& unit, double& log_expected, Eigen::VectorXd* slope) const {
  const GaussianProcess::Prediction at = process_.predict(unit, slope != nullptr);
  if (!(at.variance > 0)) return false;
  const double sd = std::sqrt(at.variance * process_.variance()[0]), z = (best_ - at.mean[0]) / sd;
  double per_z = 0;
  log_expected = std::log(sd) + log_improvement(z, &per_z);
  if (slope) {
    const Eigen::VectorXd sd_slope = 0.5 * process_.variance()[0] / sd * at.variance_slope;
    *slope = sd_slope / sd + per_z * (-at.mean_slope.col(0) - z * sd_slope) / sd;
  }
  if (noise_ == 0) return true;
  const double root = std::sqrt(noise_ / (noise_ + at.variance));
  log_expected += std::log1p(-root);
  if (slope) *slope += 0.5 * root / ((1 - root) * (noise_ + at.variance)) * at.variance_slope;
  return true;
}

SquaresMoments::SquaresMoments(const GaussianProcess& process, const GaussianProcess::Prediction& at) {
  const Eigen::ArrayXd own = process.variance().array() * at.variance, squares = at.mean.array().square();
  mean = (squares + own).sum();
  variance = (2 * own.square() + 4 * squares * own).sum();
}

bool SquaresImprovement::improvement(const Eigen::VectorXd& unit, double& log_expected, Eigen::VectorXd* slope) const {
  const GaussianProcess::Prediction at = process_.predict(unit, slope != nullptr);
  const Eigen::ArrayXd own = process_.variance().array(), mean_squares = at.mean.array().square();
  const double v = at.variance;
  const SquaresMoments moments(process_, at);
  const double mean = moments.mean, variance = moments.variance;
  if (!(mean > 0) || !(best_ > 0)) return false;
  const double ratio = variance / (mean * mean), s = moments.log_sd();
  if (!(s > kCertain)) {
    // all but certain
    if (!(mean < best_)) return false;
    log_expected = std::log(best_ - mean);
    if (slope) *slope = -(2 * at.mean_slope * at.mean + own.sum() * at.variance_slope) / (best_ - mean);
    return true;
  }
  const double a = (std::log(best_ / mean) + 0.5 * s * s) / s;
  // probability over density, at both ends of what the improvement is the difference of
  const double upper = std::exp(log_normal_probability(a) - log_density(a)), lower = std::exp(log_normal_probability(a - s) - log_density(a - s));
  if (!(upper > lower)) return false;
  if (std::isinf(upper)) {
    log_expected = std::log(best_ - mean);
  } else {
    log_expected = std::log(best_) + log_density(a) + std::log(upper - lower);
  }
  if (!std::isfinite(log_expected)) return false;
  if (!slope) return true;
  const Eigen::VectorXd mean_slope = 2 * at.mean_slope * at.mean + own.sum() * at.variance_slope;
  const Eigen::VectorXd variance_slope = at.mean_slope * (8 * v * own * at.mean.array()).matrix() + (4 * v * own.square() + 4 * mean_squares * own).sum() * at.variance_slope;
  const Eigen::VectorXd s_slope = (variance_slope / (mean * mean) - 2 * ratio / mean * mean_slope) / (2 * s * (1 + ratio));
  *slope = std::exp(log_normal_probability(a - s) - log_expected) * -mean_slope + std::exp(std::log(best_) + log_density(a) - log_expected) * s_slope;
  return true;
}

}  // namespace tundrel
