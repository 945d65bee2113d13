#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "information.h"
#include "../step/active_set.h"
#include "../step/sizes.h"
#include "../step/optimality.h"
#include "verification.h"
#include "../problem/squares.h"

namespace tundrel {
namespace {

// A condition tells about the parameters this many times more than the data.
constexpr double kCertain = 1e7;
// Curvatures downwards count beyond this share of the largest; those below so many times the noise of differences are rounding.
constexpr double kCurvesDown = 1e-9, kSmoothNoise = 4;
// A parameter that changes the value by less than this share of its unit does not curve.
constexpr double kUnfelt = 1e-30;
// A slope along a flat direction counts as if it curved by this share of the largest curvature: small enough to tell,
// large enough to let rounding pass.
constexpr double kFlatShare = 1e-6;
constexpr double kLastDigit = 2 * std::numeric_limits<double>::epsilon();
// Below this share of what the slope comes to a multiplier is zero.
constexpr double kNoMultiplier = 1e-9;

// The criterion about a point in units in which one is a length that matters, in every parameter.
struct Scaled {
  Eigen::VectorXd length;  // of that unit in each parameter
  Eigen::VectorXd share;   // the same as a share of the parameter's size
  Eigen::VectorXd slope, slope_noise;
  Eigen::MatrixXd curvature, curvature_noise;
  double level = 0;        // what the value changes by over that unit, or what its rounding is measured against
};

// Lengths are those over which the value changes by its unit. A value without a unit of its own takes the largest change that the
// size of a parameter makes; a parameter without curvature has its size for its length.
Scaled scaled(const Expansion& at, const Eigen::MatrixXd& hessian, const Eigen::VectorXd& x, const Eigen::VectorXd& sizes, double unit) {
  Scaled out;
  const auto p = static_cast<Eigen::Index>(sizes.size());
  out.length = sizes;
  const Eigen::VectorXd bends = at.hessian.diagonal().cwiseAbs().cwiseProduct(sizes.cwiseAbs2());
  const double level = unit > 0 ? unit : bends.maxCoeff();
  for (Eigen::Index i = 0; i < p; ++i) {
    const double noise = at.hessian_noise.rows() == p ? kSmoothNoise * at.hessian_noise(i, i) * sizes[i] * sizes[i] : 0;
    if (bends[i] > std::max(kUnfelt * level, noise)) out.length[i] = std::sqrt(level / std::fabs(at.hessian(i, i)));
  }
  out.level = level + std::fabs(at.value);
  out.share = out.length.cwiseQuotient(sizes);
  out.slope = out.length.cwiseProduct(at.gradient);
  out.curvature = out.length.asDiagonal() * hessian * out.length.asDiagonal();
  // Rounding of a parameter's last digit changes the slope; smaller slopes cannot be distinguished from zero.
  out.slope_noise = kLastDigit * out.length.cwiseProduct(at.hessian.cwiseAbs() * x.cwiseAbs());
  if (at.gradient_noise.size() == p) out.slope_noise += out.length.cwiseProduct(at.gradient_noise);
  out.curvature_noise = at.hessian_noise.rows() == p ? Eigen::MatrixXd(out.length.asDiagonal() * at.hessian_noise * out.length.asDiagonal())
                                                     : Eigen::MatrixXd::Zero(p, p);
  return out;
}

// What the directions of a subspace say.
struct Subspace {
  double offset = 0;     // how far the optimum is, in standard errors or in sizes
  double lowest = 0;     // curvature, and below which it counts as curving down
  double falls_below = 0;
  int rank = 0;
  Eigen::VectorXd step;    // to the optimum
  Eigen::VectorXd lowest_direction;
};

Subspace look_along(const Scaled& criterion, const Eigen::VectorXd& left, const Eigen::MatrixXd& basis, double slope_size, double unit) {
  Subspace out;
  out.step = Eigen::VectorXd::Zero(left.size());
  if (basis.cols() == 0) return out;
  const SymmetricSpectrum eigen = symmetric_spectrum(basis.transpose() * criterion.curvature * basis);
  const Eigen::VectorXd& curvature = eigen.values;
  const Eigen::MatrixXd directions = basis * eigen.vectors;
  const double largest = curvature.cwiseAbs().maxCoeff();
  double square = 0;
  for (Eigen::Index k = 0; k < curvature.size(); ++k) {
    const Eigen::VectorXd direction = directions.col(k), size = direction.cwiseAbs();
    const double noise = kSmoothNoise * size.dot(criterion.curvature_noise * size);
    const double flat = std::max(kFlat * largest, noise), slope_noise = kSmoothNoise * size.dot(criterion.slope_noise);
    const double slope = direction.dot(left), felt = std::max(0.0, std::fabs(slope) - slope_noise);
    if (k == 0) {
      out.lowest = curvature[0];
      out.falls_below = -std::max(kCurvesDown * largest, noise);
      out.lowest_direction = direction;
    }
    if (std::fabs(curvature[k]) <= flat) {
      // Where nothing is known of curvature the slope is held against all slopes; else as if it curved a little.
      const double against = unit > 0 ? std::sqrt(kFlatShare * largest * unit) : noise > kFlat * largest ? slope_size : kFlatShare * largest;
      if (felt > 0) square += against > 0 ? std::pow(felt / against, 2) : INFINITY;
      continue;
    }
    const double bend = std::fabs(curvature[k]);
    // Along a direction that hardly curves the optimum may be far for a gain that rounding hides.
    const bool nothing = unit <= 0 && felt * felt <= kLastDigit * bend * criterion.level;
    if (!nothing) square += unit > 0 ? felt * felt / (bend * unit) : std::pow(felt / bend, 2) * direction.cwiseProduct(criterion.share).squaredNorm();
    if (curvature[k] <= 0) continue;
    ++out.rank;
    out.step -= direction * slope / curvature[k];
  }
  out.offset = std::sqrt(square);
  return out;
}

Eigen::MatrixXd some_columns(const Eigen::MatrixXd& matrix, const std::vector<Eigen::Index>& which) {
  Eigen::MatrixXd out(matrix.rows(), static_cast<Eigen::Index>(which.size()));
  for (std::size_t k = 0; k < which.size(); ++k) out.col(static_cast<Eigen::Index>(k)) = matrix.col(which[k]);
  return out;
}

// Whether the multiplier of an active condition or bound is zero, as far as rounding lets it be told.
bool holds_nothing(const Scaled& criterion, const Eigen::MatrixXd& normals, const Balance& balanced, Eigen::Index k) {
  const double length = normals.col(k).norm(), noise = normals.col(k).cwiseAbs().dot(criterion.slope_noise) / std::max(length, 1e-300);
  return std::fabs(balanced.weights[k]) * length <= kNoMultiplier * balanced.size + kSmoothNoise * noise;
}

// Parameters that do not change the criterion when they move by their whole size, and that no condition holds in place.
std::vector<int> dead_parameters(const Problem& problem, const Eigen::VectorXd& x, const Expansion& at, const Eigen::VectorXd& sizes, double unit, const Eigen::MatrixXd& holding) {
  std::vector<int> dead;
  for (int i : unheld_parameters(problem, x, at.gradient)) {
    const double change = std::fabs(at.gradient[i]) * sizes[i] + std::fabs(at.hessian(i, i)) * sizes[i] * sizes[i];
    if (holding.row(i).isZero(0) && change <= kDeadShare * kDeadShare * unit) dead.push_back(i);
  }
  return dead;
}

// How far off, in sizes of the parameters, the value is looked at where curvature hardly tells anything; how much more than by its curvature it falls
// where another power of the distance decides; and what rounding of it is.
constexpr double kLookFar[] = {1e-2, 1e-1}, kBeyondCurvature = 10, kLookRounding = 1e-12;
// A direction in which a whole size changes the value by more than this share of its unit is one of which curvature tells enough.
constexpr double kHardlyBends = 1e-3;

// Where curvature vanishes, as of a cube where it is flat, higher powers decide: TRUE if the value falls from `x` on along a direction by far more
// than its curvature has it, and no rise on the way is seen.
bool falls_further_off(Problem& problem, const Eigen::VectorXd& x, double value, const Eigen::VectorXd& direction, double bend) {
  const double rounding = std::max(kLookRounding, problem.bounds().precision) * std::fabs(value);
  const auto below = [&](double length, double level) {
    const Eigen::VectorXd there = x + length * direction;
    const bool inside = (there.array() >= problem.bounds().lower.array()).all() && (there.array() <= problem.bounds().upper.array()).all();
    return inside && !(problem.joint && problem.joint->misses(there).maxCoeff() > 0) && problem.value(there) < level;
  };
  for (const double far : kLookFar)
    for (const double side : {far, -far}) {
      const double clear = 10 * rounding + kBeyondCurvature * 0.5 * std::fabs(bend) * far * far;
      if (below(side, value - clear) && below(0.1 * side, value + rounding) && below(0.01 * side, value + rounding)) return true;
    }
  return false;
}

// A direction of little curvature in these parameters along which the value falls all the same; empty where there is none.
Eigen::VectorXd way_further_off(Problem& problem, const Eigen::VectorXd& x, const Expansion& at, const std::vector<int>& moving, const Eigen::VectorXd& sizes,
                                double unit) {
  if (moving.empty() || problem.sparing || problem.form() == Form::squares) return {};
  const auto n = static_cast<Eigen::Index>(moving.size());
  Eigen::MatrixXd inner(n, n);
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j < n; ++j) inner(i, j) = at.hessian(moving[i], moving[j]) * sizes[moving[i]] * sizes[moving[j]];
  const SymmetricSpectrum eigen = symmetric_spectrum(inner);
  const double largest = std::max(eigen.values.cwiseAbs().maxCoeff(), std::fabs(at.value));
  for (Eigen::Index k = 0; k < n; ++k) {
    // of a value without a unit the least curvature is looked at whatever it is
    const bool bends = unit > 0 ? 0.5 * std::fabs(eigen.values[k]) > kHardlyBends * unit : k > 0 && eigen.values[k] > kHardlyBends * largest;
    if (bends) break;
    Eigen::VectorXd direction = Eigen::VectorXd::Zero(x.size());
    for (Eigen::Index i = 0; i < n; ++i) direction[moving[i]] = eigen.vectors(i, k) * sizes[moving[i]];
    const double most = direction.cwiseQuotient(sizes).cwiseAbs().maxCoeff();
    if (!(most > 0) || !direction.allFinite()) continue;
    direction /= most;
    if (falls_further_off(problem, x, at.value, direction, eigen.values[k] / (most * most))) return direction;
  }
  return {};
}

// A direction of negative curvature: a free one, or one that leaves a condition or bound whose multiplier is zero. Empty where there
// is none.
Eigen::VectorXd way_down(const Scaled& criterion, const Eigen::MatrixXd& normals, const Balance& balanced, const Subspace& open,
                         double unit, const std::vector<int>& dead) {
  if (open.lowest_direction.size() > 0 && open.lowest < open.falls_below) return open.lowest_direction;
  for (Eigen::Index k = 0; k < normals.cols(); ++k) {
    if (!holds_nothing(criterion, normals, balanced, k)) continue;
    std::vector<Eigen::Index> others;
    for (Eigen::Index j = 0; j < normals.cols(); ++j)
      if (j != k) others.push_back(j);
    Eigen::MatrixXd held(normals.rows(), static_cast<Eigen::Index>(others.size() + dead.size()));
    held.leftCols(static_cast<Eigen::Index>(others.size())) = some_columns(normals, others);
    for (std::size_t d = 0; d < dead.size(); ++d)
      held.col(static_cast<Eigen::Index>(others.size() + d)) = Eigen::VectorXd::Unit(normals.rows(), dead[d]);
    const Subspace more = look_along(criterion, balanced.left, directions_left(held), balanced.size, unit);
    if (more.lowest_direction.size() == 0 || !(more.lowest < more.falls_below)) continue;
    return (more.lowest_direction.dot(normals.col(k)) >= 0 ? 1 : -1) * more.lowest_direction;
  }
  return {};
}

// For sums of squares the curvature of the residuals is worth more evaluations here than on the way.
Expansion expansion_to_verify(Problem& problem, const Eigen::VectorXd& x) {
  if (problem.form() != Form::squares) return problem.expand(x);
  Expansion out;
  const Linearisation at = problem.squares()->linearise(x);
  if (!at.usable) return out;
  Eigen::MatrixXd curvature, noise;
  if (!problem.squares()->verified_curvature(x, curvature, noise)) curvature = Eigen::MatrixXd::Zero(x.size(), x.size());
  out.usable = true;
  out.value = at.value;
  at.slope(out.gradient);
  out.gradient *= 2;
  out.hessian = 2 * (at.factor.transpose() * at.factor + curvature);
  if (noise.size() > 0) out.hessian_noise = 2 * noise;
  return out;
}

double unit_of(Problem& problem, const Eigen::VectorXd& x, const Expansion& at) {
  if (problem.form() != Form::squares) return problem.value_unit(at);
  const double scale = residual_scale(problem, x, (0.5 * at.hessian.diagonal()).cwiseMax(0).cwiseSqrt());
  return 2 * std::max(at.value, std::pow(kExactShare * scale, 2));
}

}  // namespace

// The conditions of Karush, Kuhn and Tucker, to second order: nothing is missed; the slope is made up of the slopes of what is
// active, with multipliers of the right sign; and in the directions that stay open the Lagrange function curves up. Where no
// direction stays open, at a vertex, nothing is asked of curvature.
Verification verify_smooth(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  const Expansion at = expansion_to_verify(problem, x);
  if (!at.usable) return result;
  result.value = at.value;
  result.slope = at.gradient;
  const Eigen::VectorXd sizes = parameter_sizes(problem, x);
  const double unit = unit_of(problem, x, at);

  const ActiveSet active = active_at(problem, x, sizes);
  // Multipliers belong to the value, in whatever units they are found; the Lagrange function needs them.
  Scaled criterion = scaled(at, at.hessian, x, sizes, unit);
  const Eigen::MatrixXd normals = criterion.length.cwiseQuotient(sizes).asDiagonal() * active.normals;
  const Balance balanced = balance(criterion.slope, normals, active.has_sign);
  if (problem.joint) {
    Eigen::VectorXd weights = Eigen::VectorXd::Zero(problem.joint->count());
    result.multipliers = weights;
    for (Eigen::Index k = 0; k < active.size(); ++k) {
      const int c = active.condition[static_cast<std::size_t>(k)];
      if (c < 0) continue;
      weights[c] = balanced.weights[k];
      result.multipliers[c] = balanced.multipliers[k];
    }
    criterion = scaled(at, at.hessian - problem.joint->curvature(x, weights), x, sizes, unit);
  }
  result.bound_multipliers = Eigen::VectorXd::Zero(x.size());
  for (Eigen::Index k = 0; k < active.size(); ++k) {
    const int i = active.bound[static_cast<std::size_t>(k)];
    if (i >= 0) result.bound_multipliers[i] = balanced.multipliers[k] / sizes[i];
  }

  std::vector<Eigen::Index> holding;
  for (Eigen::Index k = 0; k < active.size(); ++k)
    if (active.condition[static_cast<std::size_t>(k)] >= 0 && (!active.has_sign[k] || !holds_nothing(criterion, normals, balanced, k))) holding.push_back(k);
  result.dead = dead_parameters(problem, x, at, sizes, unit > 0 ? unit : std::fabs(at.value), some_columns(normals, holding));

  Eigen::MatrixXd held(x.size(), active.size() + static_cast<Eigen::Index>(result.dead.size()));
  held.leftCols(active.size()) = normals;
  for (std::size_t d = 0; d < result.dead.size(); ++d)
    held.col(active.size() + static_cast<Eigen::Index>(d)) = Eigen::VectorXd::Unit(x.size(), result.dead[d]);
  const Eigen::MatrixXd open = directions_left(held);
  const Subspace along = look_along(criterion, balanced.left, open, balanced.size, unit);
  result.rank = along.rank;
  result.n_alive = static_cast<int>(open.cols());
  // Across the open directions something is left only where a multiplier of the wrong sign would be needed.
  const double across = (balanced.left - open * (open.transpose() * balanced.left)).norm();
  double dead_slope = 0;
  for (int i : result.dead) dead_slope = std::hypot(dead_slope, balanced.left[i]);
  const double wrong = std::sqrt(std::max(0.0, across * across - dead_slope * dead_slope));
  result.gradient_norm = std::max(along.offset, balanced.size > 0 ? wrong / balanced.size : 0);

  std::vector<int> moving, alive;
  for (int i = 0; i < x.size(); ++i) {
    if (std::find(active.bound.begin(), active.bound.end(), i) != active.bound.end()) continue;
    moving.push_back(i);
    if (std::find(result.dead.begin(), result.dead.end(), i) == result.dead.end()) alive.push_back(i);
  }
  const Eigen::VectorXd down = way_down(criterion, normals, balanced, along, unit, result.dead);
  if (down.size() > 0) result.way_down = criterion.length.cwiseProduct(down);
  const bool held_by_conditions = std::any_of(active.condition.begin(), active.condition.end(), [](int c) { return c >= 0; });
  const CalledFor check(problem.work, CallReason::check);
  if (down.size() == 0 && !held_by_conditions && result.gradient_norm <= kOptimalGradient) result.way_down = way_further_off(problem, x, at, alive, sizes, unit);
  const bool settled = all_settled(problem, x, alive, criterion.length.cwiseProduct(along.step), result.runaway);
  const bool sinks = falls_into_open_limit(problem.bounds(), x, at.gradient, unit > 0 ? unit : std::fabs(at.value), result.runaway);
  const Eigen::MatrixXd information = problem.form() == Form::squares ? problem.squares()->linearise(x).factor : information_factor(problem, x, at, problem.joint ? moving : alive);
  result.factor = problem.joint ? with_certain_rows(information, problem.joint->gradients(x), active.condition, kCertain) : information;
  conclude(problem, x, alive, active.feasible && result.way_down.size() == 0 && settled && !sinks, result);
  // One kink whose sides both rise is an end; where several meet, nothing is known of the directions between them.
  if (result.converged) {
    for (int i : problem.kinked_along(x))
      if (std::find(moving.begin(), moving.end(), i) != moving.end()) result.kinked.push_back(i);
    if (result.kinked.size() > 1) {
      result.converged = false;
      result.reason = StopReason::stalled;
    }
  }
  if (!active.feasible) {
    result.converged = false;
    result.reason = StopReason::infeasible;
  }
  return result;
}

}  // namespace tundrel
