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
  std::vector<Eigen::VectorXd> columns(p, Eigen::VectorXd(rows_));
  std::vector<const double*> places;
  for (int j = 0; j < p; ++j) {
    if (!first_difference(residuals, x, at_x, j, bounds_, refined, columns[j])) return {};
    places.push_back(columns[j].data());
  }
  places.push_back(at_x.data());
  TriangularFactor factor(p + 1, rows_);
  factor.fold(places.data(), rows_);
  return Linearisation(at_x.squaredNorm(), factor.triangle());
}

}  // namespace tundrel
