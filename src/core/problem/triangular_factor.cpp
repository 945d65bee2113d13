#include "triangular_factor.h"

#include <algorithm>
#include <cmath>

namespace tundrel {

void TriangularFactor::clear(int n_columns, int block_rows) {
  triangle_.setZero(n_columns, n_columns);
  block_.resize(std::max(block_rows, n_columns), n_columns);
}

// Column by column, a reflection of the diagonal element and the block's column that turns the column to zero. It leaves
// the other rows of the triangle alone, which a decomposition of triangle and block together would not know.
void TriangularFactor::fold(int n) {
  const Eigen::Index columns = triangle_.cols();
  for (Eigen::Index j = 0; j < columns; ++j) {
    const auto below = block_.col(j).head(n);
    const double square = below.squaredNorm();
    if (square == 0) continue;
    const double diagonal = triangle_(j, j);
    const double length = std::copysign(std::sqrt(diagonal * diagonal + square), diagonal);
    // The reflection is I - v v' / (length * first), v = (first, below).
    const double first = diagonal + length;
    const double divisor = length * first;
    triangle_(j, j) = -length;
    for (Eigen::Index k = j + 1; k < columns; ++k) {
      auto other = block_.col(k).head(n);
      const double share = (first * triangle_(j, k) + below.dot(other)) / divisor;
      triangle_(j, k) -= share * first;
      other -= share * below;
    }
  }
}

void TriangularFactor::fold(const TriangularFactor& other) {
  block_.topRows(triangle_.cols()) = other.triangle_;
  fold(static_cast<int>(triangle_.cols()));
}

}  // namespace tundrel
