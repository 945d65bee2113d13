#include "function_problem.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../expression/kernel.h"
#include "differences.h"
#include "triangular_factor.h"

namespace tundrel {
Eigen::VectorXd FunctionProblem::evaluate(const Eigen::VectorXd& x) {
  spend();
  Eigen::VectorXd out(rows_);
  residuals_(x, out);
  answered();
  if (!out.allFinite()) {
    ++refused;
  } else {
    latest_norm_ = out.norm();
    note_met(x, out.squaredNorm());
  }
  return out;
}

double FunctionProblem::value(const Eigen::VectorXd& x) { return evaluate(x).squaredNorm(); }

void FunctionProblem::linearise_into(const Eigen::VectorXd& x, Linearisation& at) {
  at = Linearisation();
  const int p = size();
  const Eigen::VectorXd at_x = evaluate(x);
  if (!at_x.allFinite()) return;
  const VectorFunction residuals = [this](const Eigen::VectorXd& at) { return evaluate(at); };
  std::vector<Eigen::VectorXd> columns(p, Eigen::VectorXd(rows_));
  for (int j = 0; j < p; ++j)
    if (!first_difference(residuals, x, at_x, j, bounds_, refined, columns[j])) return;
  columns.push_back(at_x);
  TriangularFactor factor(p + 1, std::min(kBlockRows, rows_));
  for (int first = 0; first < rows_; first += kBlockRows) {
    std::vector<const double*> places;
    for (const Eigen::VectorXd& column : columns) places.push_back(column.data() + first);
    factor.fold(places.data(), std::min(kBlockRows, rows_ - first));
  }
  at.set(at_x.squaredNorm(), factor.triangle());
}

double FunctionProblem::column_noise(const Eigen::VectorXd& x, int i) {
  return first_difference_noise(x, i, bounds_, std::numeric_limits<double>::epsilon() * std::max(response_norm_, latest_norm_));
}

bool FunctionProblem::verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) {
  const Eigen::VectorXd at_x = evaluate(x);
  if (!at_x.allFinite()) return false;
  const double rounding = std::numeric_limits<double>::epsilon() * at_x.norm() * std::max(response_norm_, at_x.norm());
  return second_differences([&](const Eigen::VectorXd& to) { return at_x.dot(evaluate(to)); }, x, bounds_, rounding, curvature, noise);
}

}  // namespace tundrel
