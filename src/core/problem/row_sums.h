// Sums over the rows of a block, in an order of their own.
#pragma once
#include <Eigen/Core>

namespace tundrel {

// Rows handled at once, so that what is summed up stays in registers.
constexpr int kRowsAtOnce = 4;
using RowGroup = Eigen::Array<double, kRowsAtOnce, 1>;

// Eigen's own sums begin where memory is aligned. A group's rows may lie anywhere in a table, and its fit has to be the one that
// it has alone, to the last bit: so these begin with the first row.
template <class AtOnce, class One>
double sum_over_rows(int n, const AtOnce& at_once, const One& one) {
  RowGroup sums = RowGroup::Zero();
  int i = 0;
  for (; i + kRowsAtOnce <= n; i += kRowsAtOnce) sums += at_once(i);
  double total = sums.sum();
  for (; i < n; ++i) total += one(i);
  return total;
}

inline Eigen::Map<const RowGroup> rows_at(const double* column, int i) { return Eigen::Map<const RowGroup>(column + i); }

inline double row_sum(const double* a, int n) {
  return sum_over_rows(n, [=](int i) { return rows_at(a, i); }, [=](int i) { return a[i]; });
}

inline double row_product(const double* a, const double* b, int n) {
  return sum_over_rows(n, [=](int i) -> RowGroup { return rows_at(a, i) * rows_at(b, i); }, [=](int i) { return a[i] * b[i]; });
}

}  // namespace tundrel
