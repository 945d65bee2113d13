// Rows of a block handled a few at once, beginning with the first one wherever it lies in memory.
#pragma once
#include <Eigen/Core>

// What is done to a few rows is too short to be called. For the compilers that R is built with; of a lambda, after its parameters.
#define TUNDREL_INLINE __attribute__((always_inline))

namespace tundrel {

template <int n>
using Rows = Eigen::Array<double, n, 1>;

// So many fit the registers of every machine.
constexpr int kRowsAtOnce = 4;
using RowGroup = Rows<kRowsAtOnce>;

template <int n = kRowsAtOnce>
Eigen::Map<const Rows<n>> rows_at(const double* column, int i) {
  return Eigen::Map<const Rows<n>>(column + i);
}

template <int n = kRowsAtOnce>
Eigen::Map<Rows<n>> rows_at(double* column, int i) {
  return Eigen::Map<Rows<n>>(column + i);
}

// How many rows a call of use() is for.
template <int n>
struct Width {
  static constexpr int rows = n;
};

// Calls use(first row, how many as a type) until all n rows are covered, `most` at once.
template <int most = kRowsAtOnce, class Use>
TUNDREL_INLINE inline void cover_rows(int n, const Use& use) {
  static_assert(most == 2 || most == 4, "what is left over is covered by two and by one");
  int i = 0;
  for (; i + most <= n; i += most) use(i, Width<most>());
  if (most > 2 && i + 2 <= n) {
    use(i, Width<2>());
    i += 2;
  }
  if (i < n) use(i, Width<1>());
}

}  // namespace tundrel
