// Sums over the rows of a block, in an order of their own.
#pragma once
#include "../expression/row_groups.h"

namespace tundrel {

// Eigen's own sums begin where memory is aligned. A group's rows may lie anywhere in a table, and its fit has to be the one that
// it has alone, to the last bit: so these begin with the first row.
template <int K, int most = kRowsAtOnce>
class RowSums {
 public:
  RowSums() {
    for (Rows<most>& sum : sums_) sum.setZero();
  }
  template <class Terms>
  void add(int k, const Terms& terms) {
    sums_[k].template head<Terms::RowsAtCompileTime>() += terms;
  }
  double total(int k) const { return sums_[k].sum(); }

 private:
  Rows<most> sums_[K];
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
