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
  typedef unsigned long long Bits __attribute__((vector_size(8 * n)));
};
template <>
struct Vector<1> {
  typedef double Numbers;
  typedef unsigned long long Bits;
};

// The digits of some rows' numbers, as whole numbers. A class with a copy constructor of its own, as the next, since how plain vectors are handed over
// depends on the machine.
template <int n>
struct Digits {
  using Bits = typename Vector<n>::Bits;
  Bits bits;

  TUNDREL_INLINE Digits() : bits{} {}
  TUNDREL_INLINE Digits(unsigned long long value) : bits(value + Bits{}) {}
  TUNDREL_INLINE Digits(const Digits& other) : bits(other.bits) {}
  TUNDREL_INLINE Digits& operator=(const Digits& other) {
    bits = other.bits;
    return *this;
  }

  TUNDREL_INLINE friend Digits operator+(Digits a, const Digits& b) { return a.bits += b.bits, a; }
  TUNDREL_INLINE friend Digits operator-(Digits a, const Digits& b) { return a.bits -= b.bits, a; }
  TUNDREL_INLINE friend Digits operator&(Digits a, const Digits& b) { return a.bits &= b.bits, a; }
  TUNDREL_INLINE friend Digits operator|(Digits a, const Digits& b) { return a.bits |= b.bits, a; }
  TUNDREL_INLINE friend Digits operator^(Digits a, const Digits& b) { return a.bits ^= b.bits, a; }
  TUNDREL_INLINE friend Digits operator<<(Digits a, int places) { return a.bits <<= places, a; }
  TUNDREL_INLINE friend Digits operator>>(Digits a, int places) { return a.bits >>= places, a; }
  TUNDREL_INLINE Digits operator~() const { return *this ^ Digits(~0ULL); }
};

// Some rows, on which operations work one by one as on a single number: in vector registers, as wide as those of the machine are.
template <int n>
struct Rows {
  using Numbers = typename Vector<n>::Numbers;
  Numbers numbers;

  TUNDREL_INLINE Rows() : numbers{} {}
  TUNDREL_INLINE explicit Rows(const double* from) { std::memcpy(&numbers, from, sizeof numbers); }
  TUNDREL_INLINE Rows(double value) : numbers(value - Numbers{}) {}
  TUNDREL_INLINE Rows(const Rows& other) : numbers(other.numbers) {}
  TUNDREL_INLINE Rows& operator=(const Rows& other) {
    numbers = other.numbers;
    return *this;
  }

  TUNDREL_INLINE explicit Rows(const Digits<n>& digits) { std::memcpy(&numbers, &digits.bits, sizeof numbers); }
  TUNDREL_INLINE Digits<n> digits() const {
    Digits<n> out;
    std::memcpy(&out.bits, &numbers, sizeof numbers);
    return out;
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

// All digits set in rows that a comparison holds for, and none in others.
template <int n, class Comparison>
TUNDREL_INLINE inline Digits<n> rows_that(const Comparison& holds) {
  Digits<n> out;
  if constexpr (n == 1)
    out.bits = 0ULL - holds;
  else
    out.bits = (typename Digits<n>::Bits)holds;
  return out;
}

// Not a number in rows where x is not within the limits; else as it was.
template <int n>
TUNDREL_INLINE inline Rows<n> only_where(const Rows<n>& x, double least, double most, const Rows<n>& result) {
  const Digits<n> inside = rows_that<n>((x.numbers >= least) & (x.numbers <= most));
  return Rows<n>((result.digits() & inside) | (Digits<n>(0x7ff8000000000000) & ~inside));
}

// Zero where either is, whatever the other.
template <int n>
TUNDREL_INLINE inline Rows<n> product_or_zero(const Rows<n>& a, const Rows<n>& b) {
  return Rows<n>((a * b).digits() & ~rows_that<n>((a.numbers == 0) | (b.numbers == 0)));
}

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
