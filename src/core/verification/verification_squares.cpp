#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "../step/linear_step.h"
#include "../step/optimality.h"
#include "creases.h"
#include "settle_others.h"
#include "verification.h"
#include "../problem/squares.h"

namespace tundrel {

namespace {

// Curvature of the value along a direction, relative to that of a parameter, that is more than rounding; or than so many times
// the noise of differences.
constexpr double kSquaresFalls = 1e-7, kSquaresNoise = 4;

// The part of the curvature that the linear model of the residuals does not see, with its rounding error.
struct Curvature {
  bool known = false;
  Eigen::MatrixXd value, noise;
};

// TRUE where the value of few parameters has a Cholesky factor of its curvature, as it most often has: that is seen before a spectrum is.
bool clearly_curves_up(const Curvature& curvature, const Linearisation& at, const std::vector<int>& moving, const Eigen::VectorXd& norms) {
  constexpr std::size_t kFew = 8;
  if (moving.size() > kFew) return false;
  double factor[kFew][kFew];
  for (std::size_t i = 0; i < moving.size(); ++i)
    for (std::size_t j = 0; j <= i; ++j) {
      double x = curvature.value(moving[i], moving[j]);
      for (Eigen::Index k = 0; k < at.factor.rows(); ++k) x += at.factor(k, moving[i]) * at.factor(k, moving[j]);
      x /= norms[moving[i]] * norms[moving[j]];
      for (std::size_t m = 0; m < j; ++m) x -= factor[i][m] * factor[j][m];
      if (i == j && !(x > kSquaresFalls)) return false;
      factor[i][j] = i == j ? std::sqrt(x) : x / factor[j][j];
    }
  return true;
}

// A direction in which the value falls although it does not slope, as it does at a saddle or a maximum. Empty where there is none.
Eigen::VectorXd way_down(const Curvature& curvature, const Linearisation& at, const std::vector<int>& moving, const Eigen::VectorXd& norms) {
  if (moving.empty() || !curvature.known || curvature.value.isZero(0) || clearly_curves_up(curvature, at, moving, norms)) return {};
  const auto n = static_cast<Eigen::Index>(moving.size());
  Eigen::MatrixXd columns(at.factor.rows(), n), scaled(n, n), scaled_noise = Eigen::MatrixXd::Zero(n, n);
  for (Eigen::Index j = 0; j < n; ++j) columns.col(j) = at.factor.col(moving[j]) / norms[moving[j]];
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j < n; ++j) {
      scaled(i, j) = curvature.value(moving[i], moving[j]) / (norms[moving[i]] * norms[moving[j]]);
      if (curvature.noise.size() > 0) scaled_noise(i, j) = curvature.noise(moving[i], moving[j]) / (norms[moving[i]] * norms[moving[j]]);
    }
  scaled += columns.transpose() * columns;
  const SymmetricSpectrum eigen = symmetric_spectrum(scaled);
  const Eigen::VectorXd direction = eigen.vectors.col(0), size = direction.cwiseAbs();
  const double rounding = std::max(kSquaresFalls * std::max(1.0, eigen.values.cwiseAbs().maxCoeff()), kSquaresNoise * size.dot(scaled_noise * size));
  if (eigen.values[0] >= -rounding) return {};
  Eigen::VectorXd out = Eigen::VectorXd::Zero(at.factor.cols());
  for (Eigen::Index k = 0; k < n; ++k) out[moving[k]] = direction[k] / norms[moving[k]];
  return out;
}

// With parameters that rest on creases taken for held.
Verification verify_beside(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& creased) {
  Verification result;
  result.creased = creased;
  const Linearisation at = problem.squares()->linearise(x);
  if (!at.usable) return result;
  result.value = at.value;
  result.factor = at.factor;
  at.slope(result.slope);
  result.slope *= 2;
  const Bounds& bounds = problem.bounds();
  Eigen::VectorXd norms;
  at.column_norms(norms);
  const double scale = residual_scale(problem, x, norms);
  const double residual = std::max(at.residual_norm(), kExactShare * scale);
  std::vector<int> alive;
  alive.reserve(problem.size());
  const std::vector<int> moving = places_without(unheld_parameters(problem, x, result.slope), creased);
  Curvature curvature;
  curvature.known = problem.squares()->verified_curvature(x, curvature.value, curvature.noise);
  Eigen::VectorXd lengths = norms;
  for (int i : moving) {
    const double size = std::max(std::fabs(x[i]), bounds.typical[i]);
    // Where the slope of the fit vanishes it may still bend, as that of a square does at zero.
    const double bends = curvature.known ? std::sqrt(std::fabs(curvature.value(i, i))) : 0;
    if (std::max(norms[i], bends) * size <= least_felt(problem, residual, scale))
      result.dead.push_back(i);
    else
      alive.push_back(i);
    lengths[i] = std::max(norms[i], kDeadShare * residual / size);
  }
  // A parameter that rests on a bound against next to no slope may leave it to where the value curves down.
  std::vector<int> leaving = moving;
  for (int i = 0; i < x.size(); ++i) {
    const double size = std::max(std::fabs(x[i]), bounds.typical[i]);
    const double slope = std::fabs(result.slope[i]), noise = kSquaresNoise * problem.squares()->column_noise(x, i) * residual;
    if (slope == 0 || !bounds.holds(i, x[i], result.slope[i]) || slope > std::max(kDeadShare * residual * residual / size, noise)) continue;
    leaving.push_back(i);
    lengths[i] = std::max(norms[i], kDeadShare * residual / size);
  }
  for (int i = 0; i < norms.size(); ++i)
    if (norms[i] == 0) norms[i] = 1;
  const LinearStep linear(at.factor, alive, norms, at.projected);
  result.n_alive = static_cast<int>(alive.size());
  result.rank = linear.rank();
  result.gradient_norm = relative_offset(linear.reducible(), at, scale);
  Eigen::VectorXd step;
  bounded_step(problem, x, at, alive, norms, std::numeric_limits<double>::infinity(), linear, step);
  const bool settled = all_settled(problem, x, alive, step, result.runaway);
  result.bound_multipliers = bound_multipliers(bounds, x, result.slope);
  result.way_down = way_down(curvature, at, leaving, lengths);
  conclude(problem, x, alive, settled && result.way_down.size() == 0, result);
  return result;
}

}  // namespace

Verification verify_squares(Problem& problem, const Eigen::VectorXd& x) {
  Verification result = verify_beside(problem, x, {});
  if (!result.usable || result.converged || problem.calls_user()) return result;
  const std::vector<int> creased = creases_at(problem, x, unheld_parameters(problem, x, result.slope));
  if (creased.empty()) return result;
  Verification resting = verify_beside(problem, x, creased);
  return resting.converged ? resting : result;
}

}  // namespace tundrel
