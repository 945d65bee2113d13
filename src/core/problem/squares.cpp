#include "squares.h"

#include <cmath>

namespace tundrel {

void Linearisation::set(double value, const Eigen::MatrixXd& triangle) {
  const Eigen::Index p = triangle.cols() - 1;
  // What is not finite in a column has reached its diagonal element, as the whole column's length does.
  usable = std::isfinite(value);
  for (Eigen::Index j = 0; j < p; ++j) usable = usable && std::isfinite(triangle(j, j));
  this->value = usable ? value : std::numeric_limits<double>::infinity();
  if (!usable) return;
  if (factor.rows() != p || factor.cols() != p) factor.resize(p, p);
  projected.resize(p);
  for (Eigen::Index j = 0; j < p; ++j) {
    for (Eigen::Index i = 0; i < p; ++i) factor(i, j) = triangle(i, j);
    projected[j] = triangle(j, p);
  }
  remainder = std::fabs(triangle(p, p));
}

// Loops, since for the few parameters of most problems Eigen's products take longer to begin than to do.
void Linearisation::column_norms(Eigen::VectorXd& norms) const {
  norms.resize(factor.cols());
  for (Eigen::Index j = 0; j < factor.cols(); ++j) {
    double square = 0;
    for (Eigen::Index i = 0; i <= j; ++i) square += factor(i, j) * factor(i, j);
    norms[j] = std::sqrt(square);
  }
}

void Linearisation::slope(Eigen::VectorXd& slope) const {
  slope.resize(factor.cols());
  for (Eigen::Index j = 0; j < factor.cols(); ++j) {
    double sum = 0;
    for (Eigen::Index i = 0; i <= j; ++i) sum += factor(i, j) * projected[i];
    slope[j] = sum;
  }
}

double Linearisation::promised(const Eigen::VectorXd& step) const {
  double sum = 0;
  for (Eigen::Index i = 0; i < factor.rows(); ++i) {
    double left = projected[i];
    for (Eigen::Index j = i; j < factor.cols(); ++j) left += factor(i, j) * step[j];
    sum += projected[i] * projected[i] - left * left;
  }
  return sum;
}

Slope SquaresProblem::slope(const Eigen::VectorXd& x) {
  const Linearisation at = linearise(x);
  if (!at.usable) return {};
  Slope out{true, at.value, {}};
  at.slope(out.gradient);
  out.gradient *= 2;
  return out;
}

Expansion SquaresProblem::expand(const Eigen::VectorXd& x) {
  Expansion out;
  expect_curvature(true);
  const Linearisation at = linearise(x);
  if (!at.usable) return out;
  Eigen::MatrixXd curvature;
  if (!residual_curvature(x, curvature)) curvature = Eigen::MatrixXd::Zero(size(), size());
  out.usable = true;
  out.value = at.value;
  at.slope(out.gradient);
  out.gradient *= 2;
  out.hessian = 2 * (at.factor.transpose() * at.factor + curvature);
  return out;
}

}  // namespace tundrel
