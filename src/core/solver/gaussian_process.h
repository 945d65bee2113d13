// A Gaussian process: what values at some points tell of values at others.
#pragma once
#include <Eigen/Core>

#include "../decompositions.h"

namespace tundrel {

// Correlations fall with the distance, measured along each coordinate in a length of its own: as exp(-r^2 / 2), or as Matern's kernel of order
// 5/2, which is less smooth (Rasmussen and Williams 2006, Gaussian Processes for Machine Learning, chapters 2, 4 and 5). The trend is a
// constant, or linear; lengths, noise and smoothness are found by restricted likelihood, trend and size on the side. Several outputs may share
// lengths and noise, each with a size and a trend of its own.
class GaussianProcess {
 public:
  enum class Trend { constant, linear };
  // Noise of the values: none; known (its variance, as given); or found with the lengths.
  enum class Noise { none, known, found };

  struct Lengths {
    Eigen::VectorXd log_length;  // of coordinates of a cube of side one
    double log_noise = 0;        // variance of the noise as a share of that of the process
    bool smooth = true;          // exp(-r^2 / 2) and not Matern's kernel
  };

  struct Prediction {
    Eigen::VectorXd mean;                    // of each output
    double variance = 0;                     // as a share of each output's own; of the process without noise
    Eigen::MatrixXd mean_slope;              // a column an output
    Eigen::VectorXd variance_slope;
  };

  // A column of `units` a point of the cube, with a row of `values`.
  void set(const Eigen::MatrixXd& units, const Eigen::MatrixXd& values, Trend trend);
  // Finds lengths, beginning with `from` where it has any; `thorough` looks from several beginnings and for the smoothness, too.
  void learn(Noise noise, double known_variance, const Lengths& from, bool thorough);
  // Takes lengths as they are. FALSE where the points cannot be told apart with them.
  bool take(const Lengths& lengths);

  // Twice the negative logarithm of the restricted likelihood, with the logarithm of a density of lengths beforehand; its slope in log_length and
  // log_noise, where wanted.
  double misfit(const Lengths& lengths, Eigen::VectorXd* slope) const;

  // What a length is taken to be before values tell: longer in more coordinates, since distances are. As it is, or times a factor.
  static Lengths usual(Eigen::Index coordinates, bool smooth, double factor = 1);
  const Lengths& lengths() const { return lengths_; }
  // Variance of each output's process.
  const Eigen::VectorXd& variance() const { return variance_; }
  double noise_variance(int output) const;
  Prediction predict(const Eigen::VectorXd& unit, bool slopes) const;
  int count() const { return static_cast<int>(units_.cols()); }
  int coordinates() const { return static_cast<int>(units_.rows()); }

 private:
  Eigen::MatrixXd correlations(const Lengths& lengths) const;
  Eigen::VectorXd trend_at(const Eigen::VectorXd& unit) const;

  Eigen::MatrixXd units_, values_, basis_;
  Trend trend_ = Trend::constant;
  Lengths lengths_;
  Cholesky factor_, information_;  // of the correlations, and of the trend in them
  Eigen::MatrixXd weights_, trend_weights_;           // a column an output
  Eigen::MatrixXd solved_basis_;
  Eigen::VectorXd variance_;
};

}  // namespace tundrel
