#include "covariance.h"

#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>

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

namespace {

// Of the derivatives at places 1 + moving[j] of the program's outputs.
void add_row_errors(const Program& program, const double* x, const Columns& columns, const Eigen::MatrixXd& factor, const std::vector<int>& moving,
                    Program::Workspace& work, double* errors) {
  const int p = static_cast<int>(factor.cols());
  Eigen::Map<Eigen::VectorXd> out(errors, columns.rows);
  out.setZero();
  if (p == 0 || columns.rows == 0) return;
  const Scaled scaled(factor);
  const Eigen::MatrixXd half = scaled.inverse(), open = scaled.open();
  program.prepare(x, columns, work);
  Eigen::MatrixXd block(std::min<std::int64_t>(kBlockRows, columns.rows), p);
  for (std::int64_t first = 0; first < columns.rows; first += kBlockRows) {
    const int n = static_cast<int>(std::min<std::int64_t>(kBlockRows, columns.rows - first));
    program.run_block(work, columns, first, n);
    for (int j = 0; j < p; ++j)
      block.col(j).head(n) = Eigen::Map<const Eigen::VectorXd>(work.output(moving[j] + 1), n);
    out.segment(first, n) = (block.topRows(n) * half).rowwise().norm();
    if (open.cols() == 0) continue;
    // what the data leave open is not known however large the row's share in it
    const Eigen::VectorXd along = (block.topRows(n) * open).rowwise().norm();
    const Eigen::VectorXd whole = (block.topRows(n) * scaled.norms.cwiseInverse().asDiagonal()).rowwise().norm();
    for (int i = 0; i < n; ++i)
      if (along[i] > kShare * whole[i]) out[first + i] = std::numeric_limits<double>::infinity();
  }
}

// Of the plane that the columns span, where these are taken as dependent below this share of their lengths.
constexpr double kDependent = 1e-7;

Eigen::MatrixXd orthonormal_basis(Eigen::MatrixXd slopes) {
  for (std::int64_t j = 0; j < slopes.cols(); ++j) {
    const double norm = slopes.col(j).norm();
    if (norm > 0 && std::isfinite(norm))
      slopes.col(j) /= norm;
    else
      slopes.col(j).setZero();
  }
  if (slopes.size() == 0) return slopes;
  const SingularValues found = singular_values(slopes);
  std::int64_t rank = 0;
  while (rank < found.values.size() && found.values[rank] > kDependent * found.values[0]) ++rank;
  return found.u.leftCols(rank);
}

std::vector<int> not_held(const Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>& held, std::int64_t k) {
  std::vector<int> moving;
  for (int j = 0; j < held.rows(); ++j)
    if (!held(j, k)) moving.push_back(j);
  return moving;
}

// The columns `moving` of the triangle of group k.
Eigen::MatrixXd triangle_of(const Eigen::MatrixXd& factors, std::int64_t k, const std::vector<int>& moving) {
  const std::int64_t p = std::lround(std::sqrt(static_cast<double>(factors.rows())));
  const Eigen::Map<const Eigen::MatrixXd> whole(factors.col(k).data(), p, p);
  Eigen::MatrixXd out(p, moving.size());
  for (std::size_t j = 0; j < moving.size(); ++j) out.col(j) = whole.col(moving[j]);
  return out;
}

}  // namespace

Eigen::VectorXd row_errors(const Program& program, const Eigen::VectorXd& x, const Columns& columns,
                           const Eigen::MatrixXd& factor) {
  std::vector<int> all(factor.cols());
  std::iota(all.begin(), all.end(), 0);
  Eigen::VectorXd errors(columns.rows);
  Program::Workspace work;
  add_row_errors(program, x.data(), columns, factor, all, work, errors.data());
  return errors;
}

Eigen::VectorXd group_row_errors(const Program& program, const Eigen::MatrixXd& x, const Columns& columns, const std::vector<std::int64_t>& first,
                                 const Eigen::MatrixXd& factors, const Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>& held) {
  Eigen::VectorXd errors(columns.rows);
  Program::Workspace work;
  Columns rows;
  for (std::size_t k = 0; k + 1 < first.size(); ++k) {
    rows.show(columns, first[k], first[k + 1]);
    const std::vector<int> moving = not_held(held, k);
    add_row_errors(program, x.col(k).data(), rows, triangle_of(factors, k, moving), moving, work, errors.data() + first[k]);
  }
  return errors;
}

Eigen::MatrixXd group_tangents(const Program& program, const Eigen::MatrixXd& x, const Columns& columns, const std::vector<std::int64_t>& first,
                               const Eigen::VectorXd& weight, const Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>& held) {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(columns.rows, x.rows());
  Program::Workspace work;
  Columns rows;
  for (std::size_t k = 0; k + 1 < first.size(); ++k) {
    rows.show(columns, first[k], first[k + 1]);
    if (rows.rows == 0) continue;
    const std::vector<int> moving = not_held(held, k);
    program.prepare(x.col(k).data(), rows, work);
    Eigen::MatrixXd slopes(rows.rows, moving.size());
    for (std::int64_t begin = 0; begin < rows.rows; begin += kBlockRows) {
      const int n = static_cast<int>(std::min<std::int64_t>(kBlockRows, rows.rows - begin));
      program.run_block(work, rows, begin, n);
      for (std::size_t j = 0; j < moving.size(); ++j)
        slopes.col(j).segment(begin, n) = Eigen::Map<const Eigen::ArrayXd>(work.output(moving[j] + 1), n) * weight.segment(first[k] + begin, n).array();
    }
    const Eigen::MatrixXd basis = orthonormal_basis(slopes);
    out.block(first[k], 0, rows.rows, basis.cols()) = basis;
  }
  return out;
}

Eigen::MatrixXd group_unit_errors(const Eigen::MatrixXd& factors, const Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>& held) {
  Eigen::MatrixXd out = Eigen::MatrixXd::Constant(held.rows(), held.cols(), std::numeric_limits<double>::quiet_NaN());
  for (std::int64_t k = 0; k < held.cols(); ++k) {
    const std::vector<int> moving = not_held(held, k);
    const Eigen::VectorXd errors = unit_covariance(triangle_of(factors, k, moving)).diagonal().cwiseSqrt();
    for (std::size_t j = 0; j < moving.size(); ++j) out(moving[j], k) = errors[j];
  }
  return out;
}

}  // namespace tundrel
