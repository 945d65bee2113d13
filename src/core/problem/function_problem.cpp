#include "function_problem.h"

#include <cmath>
#include <limits>

#include "triangular_factor.h"

namespace tundrel {
namespace {

constexpr double kEpsilon = std::numeric_limits<double>::epsilon();

}  // namespace

Eigen::VectorXd FunctionProblem::evaluate(const Eigen::VectorXd& x) {
  ++evaluations;
  Eigen::VectorXd out(rows_);
  residuals_(x, out);
  if (!out.allFinite()) ++refused;
  return out;
}

double FunctionProblem::value(const Eigen::VectorXd& x) { return evaluate(x).squaredNorm(); }

bool FunctionProblem::slope(const Eigen::VectorXd& x, const Eigen::VectorXd& at_x, int i,
                            Eigen::Ref<Eigen::VectorXd> out) {
  const double size = std::max(std::fabs(x[i]), 1e-3 * bounds_.typical[i]);
  const auto moved = [&](double step) {
    Eigen::VectorXd to = x;
    to[i] += step;
    return evaluate(to);
  };
  const double down = -bounds_.reach_down(i, x[i]), up = bounds_.reach_up(i, x[i]);
  if (central_) {
    // Balances the error of the formula, h^4, with rounding, epsilon / h.
    const double h = std::pow(kEpsilon, 0.2) * size;
    if (2 * h <= down && 2 * h <= up) {
      out = (8 * (moved(h) - moved(-h)) - (moved(2 * h) - moved(-2 * h))) / (12 * h);
      if (out.allFinite()) return true;
    }
  }
  double h = std::sqrt(kEpsilon) * size;
  if (h > up) h = h <= down || down >= up ? -std::min(h, down) : up;
  if (h == 0) return false;
  h = (x[i] + h) - x[i];  // the step that is really taken
  if (central_) {
    // One-sided of order two, where a bound leaves no room on both sides.
    h *= 100;
    out = (4 * moved(h) - moved(2 * h) - 3 * at_x) / (2 * h);
  } else {
    out = (moved(h) - at_x) / h;
  }
  return out.allFinite();
}

Linearisation FunctionProblem::linearise(const Eigen::VectorXd& x) {
  Linearisation result;
  const int p = size();
  const Eigen::VectorXd at_x = evaluate(x);
  if (!at_x.allFinite()) return result;
  TriangularFactor factor(p + 1, rows_);
  auto block = factor.block(rows_);
  Eigen::VectorXd column(rows_);
  for (int j = 0; j < p; ++j) {
    if (!slope(x, at_x, j, column)) return result;
    block.col(j) = column;
  }
  block.col(p) = at_x;
  factor.fold(rows_);
  const Eigen::MatrixXd triangle = factor.triangle();
  result.usable = true;
  result.value = at_x.squaredNorm();
  result.factor = triangle.topLeftCorner(p, p);
  result.projected = triangle.col(p).head(p);
  result.remainder = std::fabs(triangle(p, p));
  return result;
}

}  // namespace tundrel
