#include "active_set.h"

#include <algorithm>
#include <cmath>

#include "../decompositions.h"
#include "quadratic_program.h"

namespace tundrel {
namespace {

// A normal depends on the others where what it adds to them is below this share of its length.
constexpr double kDependent = 1e-9;
// What is left of a slope that others make up is rounding below this share of it.
constexpr double kMadeUp = 1e-9;
// Keeps the program strictly convex where normals depend on each other.
constexpr double kLeastCurvature = 1e-13;

Eigen::VectorXd multipliers_of(const Eigen::VectorXd& slope, const Eigen::MatrixXd& unit, const std::vector<bool>& has_sign) {
  const Eigen::Index n = unit.cols();
  QuadraticProgram program;
  program.curvature = unit.transpose() * unit + kLeastCurvature * Eigen::MatrixXd::Identity(n, n);
  program.slope = -unit.transpose() * slope;
  std::vector<Eigen::Index> limited;
  for (Eigen::Index k = 0; k < n; ++k)
    if (has_sign[static_cast<std::size_t>(k)]) limited.push_back(k);
  program.normals = Eigen::MatrixXd::Zero(n, static_cast<Eigen::Index>(limited.size()));
  program.offsets = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(limited.size()));
  for (std::size_t k = 0; k < limited.size(); ++k) program.normals(limited[k], static_cast<Eigen::Index>(k)) = 1;
  const QuadraticSolution found = solve(program);
  if (!found.feasible) return Eigen::VectorXd::Zero(n);
  // The regularised program identifies the multipliers that are not zero. These are computed again by orthogonal steps, which lose no
  // digits.
  std::vector<Eigen::Index> used;
  for (Eigen::Index k = 0; k < n; ++k)
    if (!has_sign[static_cast<std::size_t>(k)] || found.x[k] > 0) used.push_back(k);
  Eigen::MatrixXd columns(unit.rows(), static_cast<Eigen::Index>(used.size()));
  for (std::size_t k = 0; k < used.size(); ++k) columns.col(static_cast<Eigen::Index>(k)) = unit.col(used[k]);
  Eigen::VectorXd out = Eigen::VectorXd::Zero(n);
  if (used.empty()) return out;
  const Eigen::VectorXd again = shortest_solution(columns, slope);
  for (std::size_t k = 0; k < used.size(); ++k) {
    const double one = again[static_cast<Eigen::Index>(k)];
    if (has_sign[static_cast<std::size_t>(used[k])] && one < 0) return found.x;
    out[used[k]] = one;
  }
  return out;
}

Eigen::MatrixXd without_column(const Eigen::MatrixXd& matrix, Eigen::Index k) {
  Eigen::MatrixXd out(matrix.rows(), matrix.cols() - 1);
  out << matrix.leftCols(k), matrix.rightCols(matrix.cols() - k - 1);
  return out;
}

// Where normals depend on each other the slope can be made up in more than one way. What others can do as well has a
// multiplier of zero: to loosen it alone gains nothing.
void drop_redundant(const Eigen::VectorXd& slope, const Eigen::MatrixXd& unit, const std::vector<bool>& has_sign, Eigen::VectorXd& multipliers) {
  if (pivoted_rank(unit, kDependent) == unit.cols()) return;
  const double before = (slope - unit * multipliers).norm(), size = slope.norm();
  for (Eigen::Index k = 0; k < unit.cols(); ++k) {
    if (!has_sign[static_cast<std::size_t>(k)] || multipliers[k] == 0) continue;
    std::vector<bool> others = has_sign;
    others.erase(others.begin() + k);
    const Eigen::MatrixXd rest = without_column(unit, k);
    if ((slope - rest * multipliers_of(slope, rest, others)).norm() <= before + kMadeUp * size) multipliers[k] = 0;
  }
}

}  // namespace

ActiveSet active_at(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& sizes) {
  ActiveSet active;
  std::vector<Eigen::VectorXd> normals;
  const auto add = [&](const Eigen::VectorXd& normal, bool has_sign, int condition, int bound) {
    normals.push_back(normal);
    active.has_sign.push_back(has_sign);
    active.condition.push_back(condition);
    active.bound.push_back(bound);
  };
  if (problem.joint) {
    const JointConditions& joint = *problem.joint;
    const Eigen::VectorXd values = joint.values(x), misses = joint.misses(x);
    const Eigen::MatrixXd slopes = sizes.asDiagonal() * joint.gradients(x);
    for (int c = 0; c < joint.count(); ++c) {
      const double length = slopes.col(c).norm();
      active.feasible = active.feasible && misses[c] <= kConditionShare * std::max(length, 1e-300);
      const bool equality = c < joint.n_equalities();
      if (equality || values[c] <= kConditionShare * length) add(slopes.col(c), !equality, c, -1);
    }
  }
  const Bounds& bounds = problem.bounds();
  for (int i = 0; i < x.size(); ++i) {
    const bool low = bounds.rests_low(i, x[i]), high = bounds.rests_high(i, x[i]);
    if (low || high) add((low ? 1 : -1) * Eigen::VectorXd::Unit(x.size(), i), true, -1, i);
  }
  active.normals.resize(x.size(), static_cast<Eigen::Index>(normals.size()));
  for (std::size_t k = 0; k < normals.size(); ++k) active.normals.col(static_cast<Eigen::Index>(k)) = normals[k];
  return active;
}

Balance balance(const Eigen::VectorXd& slope, const Eigen::MatrixXd& normals, const std::vector<bool>& has_sign) {
  Balance out{Eigen::VectorXd::Zero(normals.cols()), Eigen::VectorXd::Zero(normals.cols()), slope, slope.norm()};
  if (normals.cols() == 0) return out;
  const Eigen::VectorXd length = normals.colwise().norm().transpose().cwiseMax(1e-300);
  const Eigen::MatrixXd unit = normals * length.cwiseInverse().asDiagonal();
  out.weights = out.multipliers = multipliers_of(slope, unit, has_sign);
  out.left = slope - unit * out.weights;
  out.size += out.weights.cwiseAbs().sum();
  drop_redundant(slope, unit, has_sign, out.multipliers);
  out.weights = out.weights.cwiseQuotient(length).eval();
  out.multipliers = out.multipliers.cwiseQuotient(length).eval();
  return out;
}

Eigen::MatrixXd directions_left(const Eigen::MatrixXd& normals) {
  const Eigen::Index p = normals.rows();
  if (normals.cols() == 0) return Eigen::MatrixXd::Identity(p, p);
  const Eigen::VectorXd length = normals.colwise().norm().transpose().cwiseMax(1e-300);
  return complement(normals * length.cwiseInverse().asDiagonal(), kDependent);
}

}  // namespace tundrel
