#include "normal_factor.h"

#include <algorithm>
#include <cmath>

#include "column_products.h"

namespace tundrel {
namespace {

// Of a column's square this much has to be left once the columns before it are taken out of it: then eight digits of what is left are right.
constexpr double kIndependent = 1e-8;

}  // namespace

void NormalFactor::clear(int n_columns) {
  if (products_.cols() != n_columns) products_.resize(n_columns, n_columns);
  products_.setZero();
  some_.resize(n_columns);
}

void NormalFactor::add(const double* const* columns, int n) {
  const int m = static_cast<int>(products_.cols());
  for (int j = 0; j < m; ++j) {
    multiply_columns(columns[j], columns + j, m - j, some_.data(), n);
    double* const below = products_.data() + j * (m + 1);
    for (int k = 0; k < m - j; ++k) below[k] += some_[k];
  }
}

bool NormalFactor::triangle(Eigen::MatrixXd& u) const {
  const Eigen::Index m = products_.cols();
  if (u.rows() != m || u.cols() != m) u.resize(m, m);
  for (Eigen::Index j = 0; j < m; ++j) {
    for (Eigen::Index i = 0; i < j; ++i) {
      double x = products_(j, i);
      for (Eigen::Index k = 0; k < i; ++k) x -= u(k, i) * u(k, j);
      u(i, j) = x / u(i, i);
      u(j, i) = 0;
    }
    const double square = products_(j, j);
    double left = square;
    for (Eigen::Index k = 0; k < j; ++k) left -= u(k, j) * u(k, j);
    if (j + 1 < m && !(left > kIndependent * square)) return false;
    u(j, j) = std::sqrt(std::max(left, 0.0));
  }
  return true;
}

}  // namespace tundrel
