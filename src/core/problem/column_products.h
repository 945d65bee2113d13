// Products of columns, some columns in one pass over the rows, so that what they share is read once.
#pragma once
#include <type_traits>

#include "row_sums.h"

namespace tundrel {

constexpr int kColumnsAtOnce = 4;

// Calls use(first, how many as a type) for m columns, some at a time.
template <class Use>
void cover_columns(int m, const Use& use) {
  int first = 0;
  for (; first + kColumnsAtOnce <= m; first += kColumnsAtOnce) use(first, std::integral_constant<int, kColumnsAtOnce>());
  switch (m - first) {
    case 3: return use(first, std::integral_constant<int, 3>());
    case 2: return use(first, std::integral_constant<int, 2>());
    case 1: return use(first, std::integral_constant<int, 1>());
    default: return;
  }
}

// products[k] := the product of a column with column k.
template <int K>
void multiply(const double* by, const double* const* columns, double* products, int n) {
  RowSums<K> sums;
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE {
    const Rows<width.rows> shared = rows_at<width.rows>(by, i);
#pragma GCC unroll 4
    for (int k = 0; k < K; ++k) sums.add(k, rows_at<width.rows>(columns[k], i) * shared);
  });
  for (int k = 0; k < K; ++k) products[k] = sums.total(k);
}

inline void multiply_columns(const double* by, const double* const* columns, int m, double* products, int n) {
  cover_columns(m, [&](int first, auto some) { multiply<some()>(by, columns + first, products + first, n); });
}

}  // namespace tundrel
