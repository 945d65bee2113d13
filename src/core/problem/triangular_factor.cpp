#include "triangular_factor.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <type_traits>

#include "../expression/row_sums.h"

namespace tundrel {
namespace {

// Columns handled in one pass over the rows, so that what they share is read once.
constexpr int kColumnsAtOnce = 4;

// Squares below this have lost digits: a column of no larger sum is as good as none, as where a curve has run flat.
constexpr double kSmallestSquare = std::numeric_limits<double>::min();

// Calls use(first, how many as a type) for m columns, some at a time.
template <class Use>
TUNDREL_INLINE inline void cover_columns(int m, const Use& use) {
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
TUNDREL_INLINE inline void multiply(const double* by, const double* const* columns, double* products, int n) {
  RowSums<K> sums;
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE {
    const Rows<width.rows> shared = rows_at<width.rows>(by, i);
#pragma GCC unroll 4
    for (int k = 0; k < K; ++k) sums.add(k, rows_at<width.rows>(columns[k], i) * shared);
  });
  for (int k = 0; k < K; ++k) products[k] = sums.total(k);
}

// What a reflection does to columns: shares of its pivot are taken from them.
struct Reflection {
  const double* pivot;
  const double* const* from;
  double* const* to;
  const double* shares;
  double* products;  // of what the columns are then with the one that the next reflection is made of
};

// Of K columns. The next reflection is made of `leader`, which is the first of them or has been changed before.
template <int K, bool leads>
TUNDREL_INLINE inline void reflect(const Reflection& r, const double* leader, int n) {
  RowSums<K> sums;
  // Copies, since the compiler cannot know that what is written to is none of these.
  const double *from[K], *pivot = r.pivot;
  double *to[K], shares[K];
  for (int k = 0; k < K; ++k) {
    from[k] = r.from[k];
    to[k] = r.to[k];
    shares[k] = r.shares[k];
  }
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE {
    using Some = Rows<width.rows>;
    const Some taken = rows_at<width.rows>(pivot, i);
    Some next;
    if constexpr (!leads) next = rows_at<width.rows>(leader, i);
#pragma GCC unroll 4
    for (int k = 0; k < K; ++k) {
      const Some changed = rows_at<width.rows>(from[k], i) - Some(shares[k]) * taken;
      changed.put(to[k] + i);
      if (leads && k == 0) next = changed;
      sums.add(k, changed * next);
    }
  });
  for (int k = 0; k < K; ++k) r.products[k] = sums.total(k);
}

}  // namespace

void TriangularFactor::clear(int n_columns, int block_rows) {
  const int rows = std::max(block_rows, n_columns);
  if (reflected_.rows() != rows || reflected_.cols() != n_columns) {
    triangle_.resize(n_columns, n_columns);
    reflected_.resize(rows, n_columns);
    places_.resize(n_columns);
    shares_.resize(n_columns);
    products_.resize(n_columns);
  }
  triangle_.setZero();
}

// Column by column, a reflection of the diagonal element and the block's column that turns the column to zero. It leaves
// the other rows of the triangle alone, which a decomposition of triangle and block together would not know. Each pass
// over a column does what is left to do of one reflection, and finds what the next one needs.
TUNDREL_LANES void TriangularFactor::fold(const double* const* columns, int n) {
  const int m = static_cast<int>(triangle_.cols());
  for (int k = 0; k < m; ++k) places_[k] = reflected_.col(k).data();
  double* const shares = shares_.data();
  double* const products = products_.data();
  cover_columns(m, [&](int first, auto some) TUNDREL_INLINE { multiply<some()>(columns[0], columns + first, products + first, n); });
  for (int j = 0; j < m; ++j) {
    double* const diagonal = triangle_.data() + j * (m + 1);
    const double square = products[j];
    // what is not a number stays so
    if (!(square < kSmallestSquare)) {
      const double length = std::copysign(std::sqrt(*diagonal * *diagonal + square), *diagonal);
      // The reflection is I - v v' / (length * first), v = (first, pivot).
      const double first = *diagonal + length;
      const double divisor = length * first;
      *diagonal = -length;
      for (int k = j + 1; k < m; ++k) {
        double& above = triangle_.data()[k * m + j];
        shares[k] = (first * above + products[k]) / divisor;
        above -= shares[k] * first;
      }
    } else {
      std::fill(shares + j + 1, shares + m, 0);
    }
    const double* const* from = j == 0 ? columns : places_.data();
    cover_columns(m - j - 1, [&](int first, auto some) TUNDREL_INLINE {
      const int k = j + 1 + first;
      const Reflection reflection{from[j], from + k, places_.data() + k, shares + k, products + k};
      if (first == 0)
        reflect<some(), true>(reflection, nullptr, n);
      else
        reflect<some(), false>(reflection, places_[j + 1], n);
    });
  }
}

void TriangularFactor::fold(const TriangularFactor& other) {
  std::vector<const double*> columns;
  for (Eigen::Index k = 0; k < triangle_.cols(); ++k) columns.push_back(other.triangle_.col(k).data());
  fold(columns.data(), static_cast<int>(triangle_.cols()));
}

}  // namespace tundrel
