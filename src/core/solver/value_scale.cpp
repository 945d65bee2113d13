#include "value_scale.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

namespace tundrel {
namespace {

// A bend has to explain values better than the one before by this much of twice the logarithm of a likelihood.
constexpr double kPlainWorth = 2;

}  // namespace

ValueScale::ValueScale(const Eigen::VectorXd& values, double bend) : best_(values.minCoeff()), bend_(bend) {
  std::vector<double> sorted(values.data(), values.data() + values.size());
  std::nth_element(sorted.begin(), sorted.begin() + sorted.size() / 2, sorted.end());
  unit_ = sorted[sorted.size() / 2] - best_;
  if (!(unit_ > 0)) unit_ = values.maxCoeff() - best_;
  if (!(unit_ > 0) || !std::isfinite(unit_)) unit_ = 1;
}

Eigen::VectorXd ValueScale::scaled(const Eigen::VectorXd& values) const {
  const Eigen::ArrayXd v = (values.array() - best_) / unit_;
  if (bend_ == 0) return v;
  return bend_ * (v / bend_).log1p();
}

double ValueScale::unscaled(double scaled) const { return best_ + unit_ * (bend_ == 0 ? scaled : bend_ * std::expm1(scaled / bend_)); }

double ValueScale::slope_at(double scaled) const { return unit_ * (bend_ == 0 ? 1 : std::exp(scaled / bend_)); }

double ValueScale::density(const Eigen::VectorXd& values) const {
  const double plain = -2 * static_cast<double>(values.size()) * std::log(unit_);
  if (bend_ == 0) return plain;
  return plain - 2 * ((values.array() - best_) / (unit_ * bend_)).log1p().sum();
}

double ValueScale::best_bend(const Eigen::MatrixXd& units, const Eigen::VectorXd& values, const GaussianProcess::Lengths& lengths) {
  double found = 0, lowest = std::numeric_limits<double>::infinity();
  std::vector<GaussianProcess::Lengths> several = {lengths};
  for (const double factor : {0.4, 1.0, 3.0})
    for (const bool smooth : {true, false}) {
      several.push_back(GaussianProcess::usual(units.rows(), smooth, factor));
      several.back().log_noise = lengths.log_noise;
    }
  for (const double bend : {0.0, 3.0, 1.0, 0.3, 0.1, 0.03, 0.01}) {
    const ValueScale scale(values, bend);
    GaussianProcess process;
    process.set(units, scale.scaled(values), GaussianProcess::Trend::constant);
    const double density = scale.density(values);
    for (const GaussianProcess::Lengths& one : several) {
      const double misfit = process.misfit(one, nullptr) - density;
      if (!(misfit < lowest - (bend == 0 ? 0 : kPlainWorth))) continue;
      lowest = misfit;
      found = bend;
    }
  }
  return found;
}

}  // namespace tundrel
