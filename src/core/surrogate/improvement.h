// What a further call is worth: by how much it is expected to improve on the best.
#pragma once
#include "../problem/problem.h"
#include "gaussian_process.h"

namespace tundrel {

// log(density(z) + z * probability(z)) of the standard normal distribution, far into both tails, and its derivative.
double log_improvement(double z, double* slope);

// Minus the logarithm of the expected improvement (Jones, Schonlau and Welch 1998, Journal of Global Optimization 13, 455-492), times the
// probability that a call succeeds, over the cube of side one. Where values are noisy improvement is on the best expected value, and what noise
// takes from a further call counts (Huang, Allen, Notz and Zeng 2006, ibid. 34, 441-466).
class Improvement : public Problem {
 public:
  // `success` may be missing; `best` is what is to be improved on. Within `centre` plus or minus `side` / 2, if above zero.
  Improvement(const GaussianProcess& process, const GaussianProcess* success, double best, const Eigen::VectorXd& centre, double side);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  double value(const Eigen::VectorXd& unit) override;
  Slope slope(const Eigen::VectorXd& unit) override;
  Expansion expand(const Eigen::VectorXd&) override { return {}; }
  double success_at(const Eigen::VectorXd& unit) const;

 private:
  const GaussianProcess& process_;
  const GaussianProcess* success_;
  double best_, noise_;
  Bounds bounds_;
};

}  // namespace tundrel
