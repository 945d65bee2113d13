#include "triangular_factor.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "row_sums.h"

namespace tundrel {
namespace {

// A column that a reflection changes: `share` times the column that it is made of, `pivot`, is taken from it.
struct Changed {
  const double* from;
  double* to;
  double share;
};

// Changes a column, and returns its product with the one that the next reflection is made of, which may be itself.
double change(const double* pivot, const double* next, const Changed& c, int n) {
  return sum_over_rows(
      n,
      [&](int i) -> RowGroup {
        const RowGroup x = rows_at(c.from, i) - c.share * rows_at(pivot, i);
        Eigen::Map<RowGroup>(c.to + i) = x;
        return x * rows_at(next, i);
      },
      [&](int i) {
        c.to[i] = c.from[i] - c.share * pivot[i];
        return c.to[i] * next[i];
      });
}

}  // namespace

void TriangularFactor::clear(int n_columns, int block_rows) {
  triangle_.setZero(n_columns, n_columns);
  reflected_.resize(std::max(block_rows, n_columns), n_columns);
  shares_.resize(n_columns);
  products_.resize(n_columns);
}

// Column by column, a reflection of the diagonal element and the block's column that turns the column to zero. It leaves
// the other rows of the triangle alone, which a decomposition of triangle and block together would not know. Each pass
// over a column does what is left to do of one reflection, and finds what the next one needs.
void TriangularFactor::fold(const double* const* columns, int n) {
  const int m = static_cast<int>(triangle_.cols());
  for (int k = 0; k < m; ++k) products_[k] = row_product(columns[0], columns[k], n);
  for (int j = 0; j < m; ++j) {
    const double square = products_[j];
    shares_.setZero();
    if (square != 0) {
      const double diagonal = triangle_(j, j);
      const double length = std::copysign(std::sqrt(diagonal * diagonal + square), diagonal);
      // The reflection is I - v v' / (length * first), v = (first, pivot).
      const double first = diagonal + length;
      const double divisor = length * first;
      triangle_(j, j) = -length;
      for (int k = j + 1; k < m; ++k) {
        shares_[k] = (first * triangle_(j, k) + products_[k]) / divisor;
        triangle_(j, k) -= shares_[k] * first;
      }
    }
    if (j + 1 == m) return;
    const double* pivot = j == 0 ? columns[0] : reflected_.col(j).data();
    const auto changed = [&](int k) {
      double* to = reflected_.col(k).data();
      return Changed{j == 0 ? columns[k] : to, to, shares_[k]};
    };
    const double* next = reflected_.col(j + 1).data();
    for (int k = j + 1; k < m; ++k) products_[k] = change(pivot, next, changed(k), n);
  }
}

void TriangularFactor::fold(const TriangularFactor& other) {
  std::vector<const double*> columns;
  for (Eigen::Index k = 0; k < triangle_.cols(); ++k) columns.push_back(other.triangle_.col(k).data());
  fold(columns.data(), static_cast<int>(triangle_.cols()));
}

}  // namespace tundrel
