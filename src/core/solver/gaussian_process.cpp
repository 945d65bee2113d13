#include "gaussian_process.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "../numbers.h"
#include "../problem/problem.h"
#include "bfgs.h"

namespace tundrel {
namespace {

constexpr double kRootFive = 2.23606797749979;
// Points are told apart to this share of the variance, where there is no noise.
constexpr double kLeastNoise = 1e-11;
// Lengths as shares of the cube's side, and noise as shares of the variance, are looked for between these.
constexpr double kProcessShortest = 0.02, kLongest = 30, kMostNoise = 10;
// Before anything is known the logarithm of a length is normal: its middle grows with the root of the coordinates, since distances do.
constexpr double kUsualLength = 0.4, kUsualSpread = 1;
// Noise is believed in where it makes twice the logarithm of the likelihood better by this.
constexpr double kNoiseSeen = 6;
constexpr int kProcessMostSteps = 60;
constexpr double kRounding = 1e-20;

double correlation(bool smooth, double square) {
  if (smooth) return std::exp(-0.5 * square);
  const double r = kRootFive * std::sqrt(square);
  return (1 + r + r * r / 3) * std::exp(-r);
}

// The correlation's derivative in half the square of the distance, with its sign turned.
double correlation_fall(bool smooth, double square) {
  if (smooth) return std::exp(-0.5 * square);
  const double r = kRootFive * std::sqrt(square);
  return 5.0 / 3 * (1 + r) * std::exp(-r);
}

double usual_log_length(Eigen::Index coordinates) { return std::log(kUsualLength * std::sqrt(static_cast<double>(coordinates))); }

// Of lengths and noise as parameters.
class Misfit : public Problem {
 public:
  Misfit(const GaussianProcess& process, bool smooth, bool find_noise, double log_noise)
      : process_(process), smooth_(smooth), find_noise_(find_noise), log_noise_(log_noise) {
    const int d = process.coordinates();
    bounds_ = Bounds::none(d + (find_noise ? 1 : 0));
    bounds_.lower.setConstant(std::log(kProcessShortest));
    bounds_.upper.setConstant(std::log(kLongest));
    if (find_noise) {
      bounds_.lower[d] = std::log(kLeastNoise);
      bounds_.upper[d] = std::log(kMostNoise);
    }
  }

  GaussianProcess::Lengths lengths_of(const Eigen::VectorXd& x) const {
    const int d = process_.coordinates();
    return {x.head(d), find_noise_ ? x[d] : log_noise_, smooth_};
  }
  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  double value(const Eigen::VectorXd& x) override { return process_.misfit(lengths_of(x), nullptr); }
  Slope slope(const Eigen::VectorXd& x) override {
    Eigen::VectorXd all;
    const double value = process_.misfit(lengths_of(x), &all);
    return {std::isfinite(value), value, all.head(size())};
  }
  Expansion expand(const Eigen::VectorXd&) override { return {}; }

 private:
  const GaussianProcess& process_;
  bool smooth_, find_noise_;
  double log_noise_;
  Bounds bounds_;
};

}  // namespace

GaussianProcess::Lengths GaussianProcess::usual(Eigen::Index coordinates, bool smooth, double factor) {
  return {Eigen::VectorXd::Constant(coordinates, usual_log_length(coordinates) + std::log(factor)), std::log(kLeastNoise), smooth};
}

void GaussianProcess::set(const Eigen::MatrixXd& units, const Eigen::MatrixXd& values, Trend trend) {
  units_ = units;
  values_ = values;
  trend_ = trend;
  basis_.resize(units.cols(), trend == Trend::constant ? 1 : 1 + units.rows());
  for (Eigen::Index k = 0; k < units.cols(); ++k) basis_.row(k) = trend_at(units.col(k)).transpose();
}

Eigen::VectorXd GaussianProcess::trend_at(const Eigen::VectorXd& unit) const {
  if (trend_ == Trend::constant) return Eigen::VectorXd::Ones(1);
  Eigen::VectorXd out(1 + unit.size());
  out[0] = 1;
  out.tail(unit.size()) = unit.array() - 0.5;
  return out;
}

Eigen::MatrixXd GaussianProcess::correlations(const Lengths& lengths) const {
  const Eigen::Index n = units_.cols();
  const Eigen::MatrixXd scaled = (-lengths.log_length).array().exp().matrix().asDiagonal() * units_;
  Eigen::MatrixXd out(n, n);
  for (Eigen::Index j = 0; j < n; ++j) {
    out(j, j) = 1 + std::exp(lengths.log_noise);
    for (Eigen::Index i = j + 1; i < n; ++i) out(i, j) = out(j, i) = correlation(lengths.smooth, (scaled.col(i) - scaled.col(j)).squaredNorm());
  }
  return out;
}

double GaussianProcess::misfit(const Lengths& lengths, Eigen::VectorXd* slope) const {
  const Eigen::Index n = units_.cols(), d = units_.rows(), m = values_.cols(), q = basis_.cols();
  const Eigen::MatrixXd correlated = correlations(lengths);
  const Cholesky factor(correlated);
  if (!factor.definite()) return kNaN;
  const Eigen::MatrixXd solved_basis = factor.solve(basis_);
  const Cholesky information(basis_.transpose() * solved_basis);
  if (!information.definite()) return kNaN;
  // what is left of the values beside the trend
  Eigen::MatrixXd left = factor.solve(values_);
  left -= solved_basis * information.solve(basis_.transpose() * left);
  // a trend may explain all there is
  const Eigen::VectorXd squares = (values_.array() * left.array()).colwise().sum().transpose().max(kRounding * values_.colwise().squaredNorm().transpose().array()).max(std::numeric_limits<double>::min());
  if (!squares.allFinite()) return kNaN;
  const double freedom = static_cast<double>(n - q), outputs = static_cast<double>(m);
  double out = freedom * (squares / freedom).array().log().sum();
  out += 2 * outputs * (factor.half_log_determinant() + information.half_log_determinant());
  const Eigen::VectorXd from_usual = (lengths.log_length.array() - usual_log_length(d)) / kUsualSpread;
  out += outputs * from_usual.squaredNorm();
  if (!slope) return out;
  slope->resize(d + 1);
  Eigen::MatrixXd pull = factor.solve(Eigen::MatrixXd::Identity(n, n)) - solved_basis * information.solve(solved_basis.transpose());
  pull *= outputs;
  for (Eigen::Index j = 0; j < m; ++j) pull -= freedom / squares[j] * left.col(j) * left.col(j).transpose();
  const Eigen::MatrixXd scaled = (-lengths.log_length).array().exp().matrix().asDiagonal() * units_;
  slope->setZero();
  for (Eigen::Index j = 0; j < n; ++j)
    for (Eigen::Index i = j + 1; i < n; ++i) {
      const Eigen::VectorXd apart = (scaled.col(i) - scaled.col(j)).cwiseAbs2();
      slope->head(d) += 2 * pull(i, j) * correlation_fall(lengths.smooth, apart.sum()) * apart;
    }
  slope->head(d) += 2 * outputs / kUsualSpread * from_usual;
  (*slope)[d] = std::exp(lengths.log_noise) * pull.trace();
  return out;
}

bool GaussianProcess::take(const Lengths& lengths) {
  lengths_ = lengths;
  if (!factor_.compute(correlations(lengths))) return false;
  solved_basis_ = factor_.solve(basis_);
  if (!information_.compute(basis_.transpose() * solved_basis_)) return false;
  weights_ = factor_.solve(values_);
  trend_weights_ = information_.solve(basis_.transpose() * weights_);
  weights_ -= solved_basis_ * trend_weights_;
  const double freedom = std::max<double>(1, static_cast<double>(units_.cols() - basis_.cols()));
  variance_ = ((values_.array() * weights_.array()).colwise().sum() / freedom).max(std::numeric_limits<double>::min()).transpose();
  return true;
}

void GaussianProcess::learn(Noise noise, double known_variance, const Lengths& from, bool thorough) {
  const Eigen::Index d = units_.rows();
  // known noise as a share of what values vary by: the size of the process is not known before the lengths are
  const double size = (values_.rowwise() - values_.colwise().mean()).squaredNorm() / std::max<double>(1, static_cast<double>(values_.size() - 1));
  const double least = std::log(noise == Noise::known ? std::max(kLeastNoise, known_variance / std::max(size, std::numeric_limits<double>::min())) : kLeastNoise);
  Lengths best = from;
  if (best.log_length.size() != d) {
    best = usual(d, true);
    best.log_noise = least;
  }
  if (noise != Noise::found) best.log_noise = least;
  double lowest = std::numeric_limits<double>::infinity();
  const auto walk = [&](const Lengths& begin, bool find_noise) {
    Misfit misfit(*this, begin.smooth, find_noise, begin.log_noise);
    Eigen::VectorXd x(d + (find_noise ? 1 : 0));
    x.head(d) = begin.log_length;
    if (find_noise) x[d] = std::max(begin.log_noise, std::log(1e-4));
    x = x.cwiseMax(misfit.bounds().lower).cwiseMin(misfit.bounds().upper);
    if (!misfit.slope(x).usable) return;
    Bfgs solver({1e-4});
    solver.start(misfit, x);
    for (int step = 0; step < kProcessMostSteps && solver.status().reason == StopReason::none; ++step) solver.iterate(misfit);
    const double value = solver.status().value + (find_noise ? kNoiseSeen : 0);
    if (!(value < lowest)) return;
    lowest = value;
    best = misfit.lengths_of(solver.status().x);
  };
  std::vector<Lengths> beginnings = {best};
  if (thorough) {
    for (const bool smooth : {true, false}) beginnings.push_back(usual(d, smooth));
    beginnings.push_back(usual(d, true, 0.4));
    for (Lengths& one : beginnings) one.log_noise = best.log_noise;
  }
  for (const Lengths& one : beginnings) {
    Lengths exact = one;
    if (noise == Noise::found) exact.log_noise = least;
    walk(exact, false);
    if (noise == Noise::found) walk(one, true);
  }
  if (take(best)) return;
  // where points lie too close to be told apart, with more noise they can
  for (double more = 10 * kLeastNoise; more < 1; more *= 10) {
    best.log_noise = std::max(best.log_noise, std::log(more));
    if (take(best)) return;
  }
}

double GaussianProcess::noise_variance(int output) const { return variance_[output] * std::exp(lengths_.log_noise); }

GaussianProcess::Prediction GaussianProcess::predict(const Eigen::VectorXd& unit, bool slopes) const {
  const Eigen::Index n = units_.cols(), d = units_.rows();
  const Eigen::VectorXd inverse = (-lengths_.log_length).array().exp();
  Eigen::VectorXd alike(n);
  Eigen::MatrixXd alike_slope(slopes ? d : 0, slopes ? n : 0);
  for (Eigen::Index k = 0; k < n; ++k) {
    const Eigen::VectorXd apart = (unit - units_.col(k)).cwiseProduct(inverse);
    const double square = apart.squaredNorm();
    alike[k] = correlation(lengths_.smooth, square);
    if (slopes) alike_slope.col(k) = -correlation_fall(lengths_.smooth, square) * apart.cwiseProduct(inverse);
  }
  const Eigen::VectorXd trend = trend_at(unit);
  const Eigen::VectorXd solved = factor_.solve(alike);
  const Eigen::VectorXd trend_left = trend - solved_basis_.transpose() * alike;
  const Eigen::VectorXd trend_solved = information_.solve(trend_left);
  Prediction out;
  out.mean = trend_weights_.transpose() * trend + weights_.transpose() * alike;
  out.variance = std::max(0.0, 1 - alike.dot(solved) + trend_left.dot(trend_solved));
  if (!slopes) return out;
  out.mean_slope = alike_slope * weights_;
  if (trend_ == Trend::linear) out.mean_slope += trend_weights_.bottomRows(d);
  Eigen::VectorXd per_alike = -2 * (solved + solved_basis_ * trend_solved);
  out.variance_slope = alike_slope * per_alike;
  if (trend_ == Trend::linear) out.variance_slope += 2 * trend_solved.tail(d);
  return out;
}

}  // namespace tundrel
