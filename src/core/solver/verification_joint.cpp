#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <numeric>

#include "../inference/information.h"
#include "newton.h"
#include "quadratic_program.h"
#include "quadratic_step.h"
#include "verification.h"

namespace tundrel {
namespace {

// A condition is missed, or is active, by these steps in the parameters' sizes.
constexpr double kMissed = 1e-7, kActive = 1e-7;
// In directions that conditions leave open the value may curve down by this share, by rounding.
constexpr double kCurvesUp = 1e-7;
// A condition tells about the parameters this many times more than the data.
constexpr double kCertain = 1e7;

// What is active at a point: slopes in the parameters' sizes, pointing inside, and whether the multiplier
// has a sign.
struct Active {
  std::vector<Eigen::VectorXd> slopes;
  std::vector<bool> signed_multiplier;
  std::vector<int> condition;  // or -1 for a bound
};

// Multipliers that leave the least slope over; those of inequalities not negative.
Eigen::VectorXd best_multipliers(const Eigen::VectorXd& slope, const Eigen::MatrixXd& normals, const std::vector<bool>& is_signed) {
  const Eigen::Index n = normals.cols();
  Eigen::VectorXd length(n);
  for (Eigen::Index k = 0; k < n; ++k) length[k] = std::max(normals.col(k).norm(), 1e-300);
  const Eigen::MatrixXd unit = normals * length.cwiseInverse().asDiagonal();
  QuadraticProgram program;
  program.curvature = unit.transpose() * unit + 1e-13 * Eigen::MatrixXd::Identity(n, n);
  program.slope = -unit.transpose() * slope;
  std::vector<Eigen::Index> limited;
  for (Eigen::Index k = 0; k < n; ++k)
    if (is_signed[static_cast<std::size_t>(k)]) limited.push_back(k);
  program.normals = Eigen::MatrixXd::Zero(n, static_cast<Eigen::Index>(limited.size()));
  program.offsets = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(limited.size()));
  for (std::size_t k = 0; k < limited.size(); ++k) program.normals(limited[k], static_cast<Eigen::Index>(k)) = 1;
  const QuadraticSolution found = solve(program);
  return found.feasible ? Eigen::VectorXd(found.x.cwiseQuotient(length)) : Eigen::VectorXd::Zero(n);
}

}  // namespace

// The conditions of Karush, Kuhn and Tucker: nothing is missed, and the slope is made up of the slopes of
// what is active; and in the directions that stay open the Lagrange function curves up.
Verification verify_joint(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  const Expansion at = problem.expand(x);
  if (!at.usable) return result;
  const Bounds& bounds = problem.bounds();
  const JointConditions& joint = *problem.joint;
  const Eigen::VectorXd sizes = parameter_sizes(problem, x);
  const Eigen::VectorXd values = joint.values(x), misses = joint.misses(x);
  const Eigen::MatrixXd slopes = sizes.asDiagonal() * joint.gradients(x);
  result.value = at.value;
  result.slope = at.gradient;
  bool feasible = true;
  Active active;
  for (int c = 0; c < joint.count(); ++c) {
    const double length = slopes.col(c).norm();
    feasible = feasible && misses[c] <= kMissed * std::max(length, 1e-300);
    if (c >= joint.n_equalities() && values[c] > kActive * length) continue;
    active.slopes.push_back(slopes.col(c));
    active.signed_multiplier.push_back(c >= joint.n_equalities());
    active.condition.push_back(c);
  }
  for (int i = 0; i < x.size(); ++i) {
    const bool low = bounds.rests_low(i, x[i]), high = bounds.rests_high(i, x[i]);
    if (!low && !high) continue;
    active.slopes.push_back((low ? 1 : -1) * Eigen::VectorXd::Unit(x.size(), i));
    active.signed_multiplier.push_back(true);
    active.condition.push_back(-1);
  }
  const Eigen::Index n = static_cast<Eigen::Index>(active.slopes.size());
  Eigen::MatrixXd normals(x.size(), n);
  for (Eigen::Index k = 0; k < n; ++k) normals.col(k) = active.slopes[static_cast<std::size_t>(k)];
  const Eigen::VectorXd slope = sizes.cwiseProduct(at.gradient);
  const Eigen::VectorXd multipliers = n > 0 ? best_multipliers(slope, normals, active.signed_multiplier) : Eigen::VectorXd(0);
  const Eigen::VectorXd left = n > 0 ? Eigen::VectorXd(slope - normals * multipliers) : slope;
  result.multipliers = Eigen::VectorXd::Zero(joint.count());
  for (Eigen::Index k = 0; k < n; ++k)
    if (active.condition[static_cast<std::size_t>(k)] >= 0) result.multipliers[active.condition[static_cast<std::size_t>(k)]] = multipliers[k];

  const Eigen::MatrixXd lagrange = at.hessian - joint.curvature(x, result.multipliers);
  const Eigen::MatrixXd scaled = sizes.asDiagonal() * lagrange * sizes.asDiagonal();
  // Directions that what is active leaves open.
  Eigen::MatrixXd open = Eigen::MatrixXd::Identity(x.size(), x.size());
  if (n > 0) {
    Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(normals);
    open = Eigen::MatrixXd(qr.householderQ()).rightCols(x.size() - qr.rank());
  }
  bool convex = true, settled = true;
  const double largest = std::max(scaled.cwiseAbs().maxCoeff(), 1e-300);
  double decrement = 0;
  if (open.cols() > 0) {
    const Eigen::MatrixXd reduced = open.transpose() * scaled * open;
    const QuadraticStep model(open.transpose() * left, reduced);
    const Eigen::VectorXd curvatures = Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(reduced).eigenvalues();
    convex = curvatures[0] >= -kCurvesUp * largest;
    result.rank = model.rank();
    decrement = scaled_decrement(problem, x, at, model.decrement());
    std::vector<int> all(x.size());
    std::iota(all.begin(), all.end(), 0);
    settled = all_settled(problem, x, all, sizes.cwiseProduct(open * model.undamped()), result.runaway);
  }
  // In the open directions the slope is measured against the curvature; across them, where multipliers of the
  // wrong sign would be needed, against what the slopes of value and conditions come to.
  double against = slope.norm();
  for (Eigen::Index k = 0; k < n; ++k) against += std::fabs(multipliers[k]) * normals.col(k).norm();
  const double across = (left - open * (open.transpose() * left)).norm();
  result.gradient_norm = std::max(decrement, against > 0 ? across / against : 0);
  result.n_alive = static_cast<int>(open.cols());
  std::vector<int> moving;
  for (int i = 0; i < x.size(); ++i)
    if (!bounds.holds(i, x[i], at.gradient[i])) moving.push_back(i);
  result.factor = with_certain_rows(
      problem.form() == Form::squares ? problem.linearise(x).factor : information_factor(problem, x, at, moving), joint.gradients(x), active.condition, kCertain);
  conclude(problem, x, moving, feasible && convex && settled, result);
  if (!feasible) {
    result.converged = false;
    result.reason = StopReason::infeasible;
  }
  return result;
}

}  // namespace tundrel
