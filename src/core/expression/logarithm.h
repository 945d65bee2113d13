// Logarithms and powers of a few rows at once.
#pragma once
#include <limits>

#include "elementary.h"

namespace tundrel {

// Where these are for: not for zero, what is below or nearly so, and what is no number.
constexpr double kLeastOfLogarithm = std::numeric_limits<double>::min(), kMostOfLogarithm = std::numeric_limits<double>::max();
// What a power may come to, as an exponent of two.
constexpr double kMostOfPower = 1020;

// x as m 2^k, where m lies between the roots of a half and of two.
template <int n>
struct Mantissa {
  Rows<n> m, k;
};

template <int n>
TUNDREL_INLINE inline Mantissa<n> mantissa_of(const Rows<n>& x) {
  constexpr unsigned long long kRootOfHalf = 0x3fe6a09e667f3bcd, kFraction = 0x000fffffffffffff, kOne = 0x3ff0000000000000, kWhole = 0x4330000000000000;
  const Digits<n> from_root = x.digits() - kRootOfHalf + kOne;
  // the exponent's digits as the last ones of a number whose other digits are known
  return {Rows<n>((from_root & kFraction) + kRootOfHalf), Rows<n>((from_root >> 52) + kWhole) - (0x1p52 + 1023)};
}

// By log(m) = 2 atanh(s) with s = (m - 1) / (m + 1), by a polynomial in its square that is interpolated at Chebyshev's places; of its first term f = m - 1
// is taken as it is, which is exact. Below one unit in the last place.
template <int n>
TUNDREL_INLINE inline Rows<n> log_of(const Rows<n>& x) {
  const Mantissa<n> parts = mantissa_of(x);
  const Rows<n> f = parts.m - 1.0, s = f / (2.0 + f), z = s * s, half_square = 0.5 * f * f;
  Rows<n> q = z * 0.14616449685088906 + 0.1533172160055169;
  q = q * z + 0.1818288912526188;
  q = q * z + 0.22222211134795078;
  q = q * z + 0.28571428625975487;
  q = q * z + 0.39999999999899505;
  q = q * z + 0.666666666666667;
  const Rows<n> bend = half_square - (s * (half_square + z * q) + parts.k * 0x1.ef35793c76730p-45);
  return only_where(x, kLeastOfLogarithm, kMostOfLogarithm, parts.k * 0x1.62e42fefa3800p-1 - (bend - f));
}

// log(1 + x), with what is lost in the sum put back.
template <int n>
TUNDREL_INLINE inline Rows<n> log1p_of(const Rows<n>& x) {
  const Rows<n> sum = 1.0 + x;
  return log_of(sum) + (x - (sum - 1.0)) / sum;
}

// The first 26 digits, whose products are exact (Dekker 1971).
template <int n>
TUNDREL_INLINE inline Rows<n> first_half(const Rows<n>& x) {
  return Rows<n>(x.digits() & ~0x7ffffffULL);
}

// x^y as two to the power of y log2(x), where the logarithm and its product have twelve digits more than a number has: each is a sum of its first
// digits and the rest. Within a unit and a half of the last place.
template <int n>
TUNDREL_INLINE inline Rows<n> power_of(const Rows<n>& x, const Rows<n>& y) {
  const Mantissa<n> parts = mantissa_of(x);
  // s = (m - 1) / (m + 1)
  const Rows<n> f = parts.m - 1.0, below = parts.m + 1.0, below_rest = parts.m - (below - 1.0), one_over = 1.0 / below;
  const Rows<n> below_first = first_half(below), s_first = first_half(f * one_over);
  const Rows<n> s_rest = (((f - s_first * below_first) - s_first * (below - below_first)) - s_first * below_rest) * one_over;
  const Rows<n> s = s_first + s_rest, square_first = s_first * s_first, square_rest = s_rest * (s_first + s), z = square_first + square_rest;
  const Rows<n> z2 = z * z, high = (z * 0.05861525514070255 + 0.058531242704588336) * z2 + (z * 0.06667402119112777 + 0.07692297485447727);
  const Rows<n> q = high * (z2 * z2) + ((z * 0.09090909167657202 + 0.11111111110828116) * z2 + (z * 0.14285714285714682 + 0.2));
  // 3 atanh(s) / s = 3 + z + 3 z^2 q
  const Rows<n> far = square_rest + 3.0 * z2 * q, atanh_first = first_half(3.0 + square_first + far);
  const Rows<n> atanh_rest = far - ((atanh_first - 3.0) - square_first);
  // 3 atanh(s)
  const Rows<n> product = s_first * atanh_first, product_rest = s_rest * atanh_first + s * atanh_rest;
  const Rows<n> first = first_half(product + product_rest), rest = product_rest - (first - product);
  // log2(x) = k + 2 / (3 log(2)) times that
  const Rows<n> scaled = 0x1.ec709d8000000p-1 * first, scaled_rest = 0x1.0e80ff5d27f05p-27 * first + 0x1.ec709dc3a03fdp-1 * rest;
  const Rows<n> log_first = first_half(scaled + scaled_rest + parts.k), log_rest = scaled_rest - ((log_first - parts.k) - scaled);
  const Rows<n> y_first = first_half(y), exponent = y_first * log_first, exponent_rest = (y - y_first) * log_first + y * log_rest;
  const Rows<n> whole = exponent + exponent_rest, shifted = whole + 0x1.8p52;
  const Rows<n> left = (exponent - (shifted - 0x1.8p52)) + exponent_rest;
  const Rows<n> r = left * 0.69314718055994531, power = scaled_by(1.0 + (r + bend_of_exp(r)), shifted);
  return only_where(x, kLeastOfLogarithm, kMostOfLogarithm, only_where(whole, -kMostOfPower, kMostOfPower, power));
}

}  // namespace tundrel
