// What a further call is worth: by how much it is expected to improve on the best.
#pragma once
#include <cmath>

#include "../problem/problem.h"
#include "gaussian_process.h"

namespace tundrel {

// log(density(z) + z * probability(z)) of the standard normal distribution, far into both tails, and its derivative.
double log_improvement(double z, double* slope);

// Minus the logarithm of what a further call is worth, over the cube of side one or a part of it.
class Worth : public Problem {
 public:
  // Within `centre` plus or minus `side` / 2, if that is above zero; `success` may be missing.
  Worth(const GaussianProcess& process, const GaussianProcess* success, const Eigen::VectorXd& centre, double side);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  double value(const Eigen::VectorXd& unit) override;
  Slope slope(const Eigen::VectorXd& unit) override;
  Expansion expand(const Eigen::VectorXd&) override { return {}; }

 protected:
  // The logarithm of the expected improvement, with its slope where wanted; FALSE where there is none.
  virtual bool improvement(const Eigen::VectorXd& unit, double& log_expected, Eigen::VectorXd* slope) const = 0;

  const GaussianProcess& process_;

 private:
  double log_success(const Eigen::VectorXd& unit, Eigen::VectorXd* slope) const;

  const GaussianProcess* success_;
  Bounds bounds_;
};

// Minus the logarithm of the expected improvement (Jones, Schonlau and Welch 1998, Journal of Global Optimization 13, 455-492), times the
// probability that a call succeeds. Where values are noisy improvement is on the best expected value, and what noise
// takes from a further call counts (Huang, Allen, Notz and Zeng 2006, ibid. 34, 441-466).
class Improvement : public Worth {
 public:
  // `best` is what is to be improved on.
  Improvement(const GaussianProcess& process, const GaussianProcess* success, double best, const Eigen::VectorXd& centre, double side);

 protected:
  bool improvement(const Eigen::VectorXd& unit, double& log_expected, Eigen::VectorXd* slope) const override;

 private:
  double best_, noise_;
};

// Mean and variance of the sum of squares of all outputs, each normal.
struct SquaresMoments {
  SquaresMoments(const GaussianProcess& process, const GaussianProcess::Prediction& at);
  // Standard deviation of the logarithm, where the sum is taken as log-normal with this mean and variance.
  double log_sd() const { return std::sqrt(std::log1p(variance / (mean * mean))); }
  double mean, variance;
};

// The same of a sum of squares of what the process models: its outputs are residuals, each normal, and the sum is taken as log-normal with its own
// mean and variance.
class SquaresImprovement : public Worth {
 public:
  SquaresImprovement(const GaussianProcess& process, const GaussianProcess* success, double best, const Eigen::VectorXd& centre, double side)
      : Worth(process, success, centre, side), best_(best) {}

 protected:
  bool improvement(const Eigen::VectorXd& unit, double& log_expected, Eigen::VectorXd* slope) const override;

 private:
  double best_;
};

}  // namespace tundrel
