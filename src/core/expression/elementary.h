// Elementary functions of a few rows at once.
#pragma once
#include "row_groups.h"

namespace tundrel {

// Where all lie between -kSafeExponent and kSafeExponent.
constexpr double kSafeExponent = 700;

// By 2^k exp(r), where r lies within half of log(2) of zero and is exact to the last digit (Cody and Waite 1980, Software Manual for the Elementary
// Functions); there by its first terms and a polynomial for the others, interpolated at Chebyshev's places. Below one unit in the last place.
template <int n>
TUNDREL_INLINE inline Rows<n> exp_of(const Rows<n>& x) {
  // a number to which halves no longer count holds k in its last digits
  const Rows<n> shifted = x * 1.4426950408889634 + 0x1.8p52, k = shifted - 0x1.8p52;
  const Rows<n> r = (x - k * 0x1.62e42fefp-1) - k * 0x1.473de6af278edp-34;
  Rows<n> q = r * 2.5100424157005067e-08 + 2.7620138719733994e-07;
  q = q * r + 2.7557268378684192e-06;
  q = q * r + 2.4801521190217729e-05;
  q = q * r + 0.00019841269863105968;
  q = q * r + 0.0013888888917281794;
  q = q * r + 0.0083333333333300511;
  q = q * r + 0.04166666666662399;
  q = q * r + 0.16666666666666669;
  q = q * r + 0.50000000000000011;
  Rows<n> result = 1.0 + (r + r * r * q);
  typename Rows<n>::Bits bits, power;
  std::memcpy(&bits, &result.numbers, sizeof bits);
  std::memcpy(&power, &shifted.numbers, sizeof power);
  bits += power << 52;
  std::memcpy(&result.numbers, &bits, sizeof bits);
  return result;
}

template <int n>
TUNDREL_INLINE inline Rows<n> abs_of(Rows<n> x) {
  typename Rows<n>::Bits bits;
  std::memcpy(&bits, &x.numbers, sizeof bits);
  bits &= 0x7fffffffffffffffLL;
  std::memcpy(&x.numbers, &bits, sizeof bits);
  return x;
}

}  // namespace tundrel
