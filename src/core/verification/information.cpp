#include "information.h"

#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "../problem/kinks.h"

namespace tundrel {
namespace {

Eigen::MatrixXd part(const Eigen::MatrixXd& matrix, const std::vector<int>& moving) {
  Eigen::MatrixXd out(moving.size(), moving.size());
  for (std::size_t i = 0; i < moving.size(); ++i)
    for (std::size_t j = 0; j < moving.size(); ++j) out(i, j) = matrix(moving[i], moving[j]);
  return out;
}

Eigen::MatrixXd spread_out(const Eigen::MatrixXd& columns, const std::vector<int>& moving, int p) {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(p, p);
  for (std::size_t j = 0; j < moving.size(); ++j) out.col(moving[j]).head(columns.rows()) = columns.col(j);
  return out;
}

}  // namespace

Eigen::MatrixXd symmetric_factor(const Eigen::MatrixXd& matrix, const std::vector<int>& moving) {
  const int p = static_cast<int>(matrix.rows()), m = static_cast<int>(moving.size());
  if (m == 0) return Eigen::MatrixXd::Zero(p, p);
  const Eigen::MatrixXd own = part(matrix, moving);
  const Eigen::VectorXd scale = own.diagonal().cwiseAbs().cwiseSqrt().unaryExpr([](double s) { return s > 0 ? s : 1.0; });
  const SymmetricSpectrum eigen = symmetric_spectrum(
      scale.cwiseInverse().asDiagonal() * own * scale.cwiseInverse().asDiagonal());
  const double floor = 10.0 * m * std::numeric_limits<double>::epsilon() * eigen.values.cwiseAbs().maxCoeff();
  const Eigen::VectorXd roots =
      eigen.values.unaryExpr([floor](double e) { return e > floor ? std::sqrt(e) : 0.0; });
  return spread_out(roots.asDiagonal() * eigen.vectors.transpose() * scale.asDiagonal(), moving, p);
}

Eigen::MatrixXd sandwich_factor(const Eigen::MatrixXd& hessian, const Eigen::MatrixXd& slopes,
                                const std::vector<int>& moving) {
  const int p = static_cast<int>(hessian.rows()), m = static_cast<int>(moving.size());
  if (m == 0) return Eigen::MatrixXd::Zero(p, p);
  // In units in which every parameter's curvature is 1.
  Eigen::MatrixXd own = part(hessian, moving);
  const Eigen::VectorXd scale = own.diagonal().cwiseAbs().cwiseSqrt().unaryExpr([](double s) { return s > 0 ? s : 1.0; });
  const Eigen::VectorXd unit = scale.cwiseInverse();
  own = (unit.asDiagonal() * own * unit.asDiagonal()).eval();
  Eigen::MatrixXd own_slopes(slopes.rows(), m);
  for (int j = 0; j < m; ++j) own_slopes.col(j) = slopes.col(moving[j]) * unit[j];
  const Eigen::MatrixXd triangle = qr_triangle(own_slopes, m);
  Eigen::MatrixXd factor = full_pivot_solution(triangle.transpose(), own);
  // Along directions without curvature it is the rounding of one over that of the other.
  const SymmetricSpectrum eigen = symmetric_spectrum(own);
  const double flat = kFlat * eigen.values.cwiseAbs().maxCoeff();
  for (int k = 0; k < m; ++k)
    if (std::fabs(eigen.values[k]) <= flat) factor -= (factor * eigen.vectors.col(k)).eval() * eigen.vectors.col(k).transpose();
  return spread_out(factor * scale.asDiagonal(), moving, p);
}

Eigen::MatrixXd with_certain_rows(const Eigen::MatrixXd& factor, const Eigen::MatrixXd& slopes, const std::vector<int>& which,
                                  double certain) {
  Eigen::MatrixXd rows = factor;
  const Eigen::VectorXd norms = factor.colwise().norm().transpose();
  for (int c : which) {
    if (c < 0) continue;
    // Along the condition's own direction the data's knowledge is at most the norm of the factor there.
    const Eigen::VectorXd slope = slopes.col(c);
    const double known = (slope.array() != 0).select(norms.array() / slope.array().abs(), 0.0).maxCoeff();
    rows.conservativeResize(rows.rows() + 1, Eigen::NoChange);
    rows.row(rows.rows() - 1) = certain * known * slope.transpose();
  }
  return qr_triangle(rows, factor.cols());
}

Eigen::MatrixXd information_factor(Problem& problem, const Eigen::VectorXd& x, const Expansion& at,
                                   const std::vector<int>& moving) {
  if (RowSlopes* rows = problem.row_slopes()) {
    const Eigen::MatrixXd expected = rows->expected_factor(x);
    if (expected.size() > 0) return expected;
    if (rows->spread_of_slopes()) return sandwich_factor(at.hessian, rows->slopes_factor(x), moving);
  }
  return symmetric_factor(at.hessian, moving);
}

}  // namespace tundrel
