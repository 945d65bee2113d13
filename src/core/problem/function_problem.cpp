#include "function_problem.h"

#include <cmath>

#include "differences.h"
#include "triangular_factor.h"

namespace tundrel {
Eigen::VectorXd FunctionProblem::evaluate(const Eigen::VectorXd& x) {
  ++evaluations;
  Eigen::VectorXd out(rows_);
  residuals_(x, out);
  if (!out.allFinite()) ++refused;
  return out;
}

double FunctionProblem::value(const Eigen::VectorXd& x) { return evaluate(x).squaredNorm(); }

Linearisation FunctionProblem::linearise(const Eigen::VectorXd& x) {
  const int p = size();
  const Eigen::VectorXd at_x = evaluate(x);
  if (!at_x.allFinite()) return {};
  const VectorFunction residuals = [this](const Eigen::VectorXd& at) { return evaluate(at); };
  TriangularFactor factor(p + 1, rows_);
  auto block = factor.block(rows_);
  Eigen::VectorXd column(rows_);
  for (int j = 0; j < p; ++j) {
    if (!first_difference(residuals, x, at_x, j, bounds_, refined, column)) return {};
    block.col(j) = column;
  }
  block.col(p) = at_x;
  factor.fold(rows_);
  return Linearisation(at_x.squaredNorm(), factor.triangle());
}

}  // namespace tundrel
