#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <limits>

#include "linear_step.h"
#include "optimality.h"
#include "verification.h"

namespace tundrel {

namespace {

// Curvature of the value along a direction, relative to that of a parameter, that is more than rounding.
constexpr double kFalls = 1e-7;

// TRUE where the value falls along a direction that the linearised residuals do not feel: a saddle.
bool falls_sideways(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& alive, const Eigen::VectorXd& norms,
                    const Eigen::MatrixXd& undetermined) {
  Eigen::MatrixXd curvature;
  if (undetermined.cols() == 0 || !problem.residual_curvature(x, curvature)) return false;
  Eigen::MatrixXd scaled(alive.size(), alive.size());
  for (std::size_t i = 0; i < alive.size(); ++i)
    for (std::size_t j = 0; j < alive.size(); ++j)
      scaled(i, j) = curvature(alive[i], alive[j]) / (norms[alive[i]] * norms[alive[j]]);
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(undetermined.transpose() * scaled * undetermined, Eigen::EigenvaluesOnly);
  return eigen.eigenvalues()[0] < -kFalls;
}

}  // namespace

Verification verify_squares(Problem& problem, const Eigen::VectorXd& x) {
  Verification result;
  const Linearisation at = problem.linearise(x);
  if (!at.usable) return result;
  result.value = at.value;
  result.factor = at.factor;
  at.slope(result.slope);
  result.slope *= 2;
  const Bounds& bounds = problem.bounds();
  Eigen::VectorXd norms;
  at.column_norms(norms);
  const double scale = residual_scale(problem, x, norms);
  const double residual = std::max(at.residual_norm(), 1e-10 * scale);
  std::vector<int> alive;
  alive.reserve(problem.size());
  for (int i : unheld_parameters(problem, x, result.slope)) {
    const double size = std::max(std::fabs(x[i]), bounds.typical[i]);
    if (norms[i] * size <= kDeadShare * residual)
      result.dead.push_back(i);
    else
      alive.push_back(i);
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
  conclude(problem, x, alive, settled && !falls_sideways(problem, x, alive, norms, linear.undetermined()), result);
  return result;
}

}  // namespace tundrel
