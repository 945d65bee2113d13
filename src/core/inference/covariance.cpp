#include "covariance.h"

#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "../expression/kernel.h"

namespace tundrel {
namespace {

// A parameter takes part in an undetermined direction if its share there is above this.
constexpr double kShare = 1e-6;

// The decomposition of a triangle with columns of length one.
struct Scaled {
  Eigen::VectorXd norms;
  Eigen::MatrixXd v;
  Eigen::VectorXd s;
  int rank = 0;

  explicit Scaled(const Eigen::MatrixXd& factor) : norms(factor.colwise().norm().transpose()) {
    const int p = static_cast<int>(factor.cols());
    for (int j = 0; j < p; ++j)
      if (!(norms[j] > 0)) norms[j] = 1;
    const SingularValues svd = singular_values(factor * norms.cwiseInverse().asDiagonal(), true);
    v = svd.v;
    s = svd.values;
    const double floor = 10.0 * p * std::numeric_limits<double>::epsilon() * s[0];
    while (rank < s.size() && s[rank] > floor) ++rank;
  }

  // Maps z to the inverse of the triangle times z, on the determined directions.
  Eigen::MatrixXd inverse() const {
    return norms.cwiseInverse().asDiagonal() * v.leftCols(rank) *
           s.head(rank).cwiseInverse().asDiagonal();
  }

  // The directions that the triangle does not determine.
  Eigen::MatrixXd open() const { return norms.cwiseInverse().asDiagonal() * v.rightCols(v.cols() - rank); }
};

}  // namespace

Eigen::MatrixXd unit_covariance(const Eigen::MatrixXd& factor) {
  const int p = static_cast<int>(factor.cols());
  if (p == 0) return Eigen::MatrixXd(0, 0);
  const Scaled scaled(factor);
  const Eigen::MatrixXd half = scaled.inverse();
  Eigen::MatrixXd covariance = half * half.transpose();
  for (int j = 0; j < p; ++j) {
    if (scaled.v.row(j).tail(p - scaled.rank).norm() <= kShare) continue;
    covariance.row(j).setConstant(std::numeric_limits<double>::quiet_NaN());
    covariance.col(j).setConstant(std::numeric_limits<double>::quiet_NaN());
    covariance(j, j) = std::numeric_limits<double>::infinity();
  }
  return covariance;
}

Eigen::VectorXd row_errors(const Program& program, const Eigen::VectorXd& x, const Columns& columns,
                           const Eigen::MatrixXd& factor) {
  const int p = static_cast<int>(factor.cols());
  Eigen::VectorXd errors = Eigen::VectorXd::Zero(columns.rows);
  if (p == 0 || columns.rows == 0) return errors;
  const Scaled scaled(factor);
  const Eigen::MatrixXd half = scaled.inverse(), open = scaled.open();
  Program::Workspace work;
  program.prepare(x.data(), columns, work);
  Eigen::MatrixXd block(std::min<long>(kBlockRows, columns.rows), p);
  for (long first = 0; first < columns.rows; first += kBlockRows) {
    const int n = static_cast<int>(std::min<long>(kBlockRows, columns.rows - first));
    program.run_block(work, columns, first, n);
    for (int j = 0; j < p; ++j)
      block.col(j).head(n) = Eigen::Map<const Eigen::VectorXd>(work.output(j + 1), n);
    errors.segment(first, n) = (block.topRows(n) * half).rowwise().norm();
    if (open.cols() == 0) continue;
    // what the data leave open is not known however large the row's share in it
    const Eigen::VectorXd along = (block.topRows(n) * open).rowwise().norm();
    const Eigen::VectorXd whole = (block.topRows(n) * scaled.norms.cwiseInverse().asDiagonal()).rowwise().norm();
    for (int i = 0; i < n; ++i)
      if (along[i] > kShare * whole[i]) errors[first + i] = std::numeric_limits<double>::infinity();
  }
  return errors;
}

}  // namespace tundrel
