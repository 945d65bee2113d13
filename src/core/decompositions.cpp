#include "decompositions.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <Eigen/QR>
#include <Eigen/SVD>

namespace tundrel {

// The library asks for a row and a column; where every parameter is held there is none.
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// Up to this size a matrix has its place on its own: finding memory would take longer.
constexpr int kSmall = 8;
using Small = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, kSmall, kSmall>;

template <class Matrix>
SingularValues thin(const MatrixXd& matrix) {
  const Eigen::JacobiSVD<Matrix> svd(matrix, Eigen::ComputeThinU | Eigen::ComputeThinV);
  return {svd.singularValues(), svd.matrixU(), svd.matrixV()};
}

}  // namespace

SymmetricSpectrum symmetric_spectrum(const MatrixXd& matrix) {
  if (matrix.size() == 0) return {VectorXd(0), matrix};
  const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(matrix);
  return {eigen.eigenvalues(), eigen.eigenvectors()};
}

SingularValues singular_values(const MatrixXd& matrix, bool whole) {
  if (whole && matrix.size() == 0) return {VectorXd(0), {}, MatrixXd::Identity(matrix.cols(), matrix.cols())};
  if (whole) {
    const Eigen::JacobiSVD<MatrixXd> svd(matrix, Eigen::ComputeFullV);
    return {svd.singularValues(), {}, svd.matrixV()};
  }
  return matrix.rows() <= kSmall && matrix.cols() <= kSmall ? thin<Small>(matrix) : thin<MatrixXd>(matrix);
}

MatrixXd qr_triangle(const MatrixXd& rows, Eigen::Index n) {
  return MatrixXd(rows.householderQr().matrixQR().topRows(n).triangularView<Eigen::Upper>());
}

MatrixXd triangle_of(const MatrixXd& a, VectorXd& b) {
  MatrixXd beside(a.rows(), a.cols() + 1);
  beside << a, b;
  const MatrixXd triangle = qr_triangle(beside, a.cols());
  b = triangle.col(a.cols());
  return triangle.leftCols(a.cols());
}

Orthogonal orthogonal(const MatrixXd& matrix) {
  const Eigen::HouseholderQR<MatrixXd> qr(matrix);
  return {qr.householderQ(), MatrixXd(qr.matrixQR().topRows(matrix.cols()).triangularView<Eigen::Upper>())};
}

Pivoted pivoted(const MatrixXd& matrix, double threshold, MatrixXd* others) {
  if (matrix.cols() == 0) return {};
  Eigen::ColPivHouseholderQR<MatrixXd> qr(matrix);
  qr.setThreshold(threshold);
  Pivoted out;
  out.rank = qr.rank();
  const auto& places = qr.colsPermutation().indices();
  for (Eigen::Index j = 0; j < places.size(); ++j) out.order.push_back(places[j]);
  out.r = MatrixXd(qr.matrixR().topRows(matrix.cols()).triangularView<Eigen::Upper>());
  if (others) others->applyOnTheLeft(qr.householderQ().adjoint());
  return out;
}

Eigen::Index pivoted_rank(const MatrixXd& matrix, double threshold) {
  if (matrix.size() == 0) return 0;
  Eigen::ColPivHouseholderQR<MatrixXd> qr(matrix);
  qr.setThreshold(threshold);
  return qr.rank();
}

MatrixXd complement(const MatrixXd& columns, double threshold) {
  if (columns.size() == 0) return MatrixXd::Identity(columns.rows(), columns.rows());
  Eigen::ColPivHouseholderQR<MatrixXd> qr(columns);
  qr.setThreshold(threshold);
  return MatrixXd(qr.householderQ()).rightCols(columns.rows() - qr.rank());
}

VectorXd pivoted_solution(const MatrixXd& a, const VectorXd& b) {
  if (a.size() == 0) return VectorXd::Zero(a.cols());
  return a.colPivHouseholderQr().solve(b);
}

VectorXd shortest_solution(const MatrixXd& a, const VectorXd& b, double threshold) {
  if (a.size() == 0) return VectorXd::Zero(a.cols());
  Eigen::CompleteOrthogonalDecomposition<MatrixXd> decomposition;
  if (threshold > 0) decomposition.setThreshold(threshold);
  return decomposition.compute(a).solve(b);
}

MatrixXd full_pivot_solution(const MatrixXd& a, const MatrixXd& b) { return a.fullPivLu().solve(b); }

VectorXd semidefinite_solution(const MatrixXd& a, const VectorXd& b) { return a.ldlt().solve(b); }

MatrixXd upper_solution(const MatrixXd& triangle, const MatrixXd& b) { return triangle.triangularView<Eigen::Upper>().solve(b); }

MatrixXd lower_solution(const MatrixXd& triangle, const MatrixXd& b) { return triangle.transpose().triangularView<Eigen::Lower>().solve(b); }

bool Cholesky::compute(const MatrixXd& matrix) {
  factor_ = matrix;
  const Eigen::LLT<Eigen::Ref<MatrixXd>> in_place(factor_);
  definite_ = in_place.info() == Eigen::Success;
  factor_.triangularView<Eigen::StrictlyUpper>().setZero();
  return definite_;
}

MatrixXd Cholesky::solve(const MatrixXd& b) const {
  MatrixXd out = factor_.triangularView<Eigen::Lower>().solve(b);
  factor_.transpose().triangularView<Eigen::Upper>().solveInPlace(out);
  return out;
}

}  // namespace tundrel
