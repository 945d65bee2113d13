// Sums over the rows of a block, in an order of their own.
#pragma once
#include "row_groups.h"

namespace tundrel {

// Eigen's own sums begin where memory is aligned. A group's rows may lie anywhere in a table, and its fit has to be the one that
// it has alone, to the last bit: so these begin with the first row.
template <int K>
class RowSums {
 public:
  template <int n>
  TUNDREL_INLINE void add(int k, const Rows<n>& terms) {
    if constexpr (n == kRowsAtOnce)
      sums_[k] = sums_[k] + terms;
    else
      for (int i = 0; i < n; ++i) rest_[k] += terms[i];
  }
  TUNDREL_INLINE double total(int k) const { return ((sums_[k][0] + sums_[k][1]) + (sums_[k][2] + sums_[k][3])) + rest_[k]; }

 private:
  Rows<kRowsAtOnce> sums_[K];
  double rest_[K] = {};
};

inline double row_sum(const double* a, int n) {
  RowSums<1> sum;
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE { sum.add(0, rows_at<width.rows>(a, i)); });
  return sum.total(0);
}

inline double row_product(const double* a, const double* b, int n) {
  RowSums<1> sum;
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE { sum.add(0, rows_at<width.rows>(a, i) * rows_at<width.rows>(b, i)); });
  return sum.total(0);
}

}  // namespace tundrel
