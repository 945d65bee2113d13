// Rows of a block handled a few at once, beginning with the first one wherever it lies in memory.
#pragma once
#include <cstring>

#include "lanes.h"

// What is done to a few rows is too short to be called. For the compilers that R is built with; of a lambda, after its parameters.
#define TUNDREL_INLINE __attribute__((always_inline))

namespace tundrel {

template <int n>
struct Vector {
  typedef double Numbers __attribute__((vector_size(8 * n)));
  typedef long long Bits __attribute__((vector_size(8 * n)));
};
template <>
struct Vector<1> {
  typedef double Numbers;
  typedef long long Bits;
};

// Some rows, on which operations work one by one as on a single number: in vector registers, as wide as those of the machine are. A class with a copy
// constructor of its own, since how plain vectors are handed over depends on the machine.
template <int n>
struct Rows {
  using Numbers = typename Vector<n>::Numbers;
  using Bits = typename Vector<n>::Bits;
  Numbers numbers;

  TUNDREL_INLINE Rows() : numbers{} {}
  TUNDREL_INLINE explicit Rows(const double* from) { std::memcpy(&numbers, from, sizeof numbers); }
  TUNDREL_INLINE Rows(double value) : numbers(value - Numbers{}) {}
  TUNDREL_INLINE Rows(const Rows& other) : numbers(other.numbers) {}
  TUNDREL_INLINE Rows& operator=(const Rows& other) {
    numbers = other.numbers;
    return *this;
  }

  TUNDREL_INLINE void put(double* to) const { std::memcpy(to, &numbers, sizeof numbers); }
  TUNDREL_INLINE double operator[](int i) const {
    double row;
    std::memcpy(&row, reinterpret_cast<const char*>(&numbers) + 8 * i, sizeof row);
    return row;
  }

  TUNDREL_INLINE friend Rows operator+(const Rows& a, const Rows& b) { return a.with(a.numbers + b.numbers); }
  TUNDREL_INLINE friend Rows operator-(const Rows& a, const Rows& b) { return a.with(a.numbers - b.numbers); }
  TUNDREL_INLINE friend Rows operator*(const Rows& a, const Rows& b) { return a.with(a.numbers * b.numbers); }
  TUNDREL_INLINE friend Rows operator/(const Rows& a, const Rows& b) { return a.with(a.numbers / b.numbers); }
  TUNDREL_INLINE Rows operator-() const { return with(-numbers); }

 private:
  TUNDREL_INLINE Rows with(const Numbers& result) const {
    Rows out;
    out.numbers = result;
    return out;
  }
};

// So many fit the registers of every machine.
constexpr int kRowsAtOnce = 4;

template <int n>
TUNDREL_INLINE inline Rows<n> rows_at(const double* column, int i) {
  return Rows<n>(column + i);
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
