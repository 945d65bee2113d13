// Elementary functions of a few rows at once.
#pragma once
#include "row_groups.h"

namespace tundrel {

// Where all lie between -kSafeExponent and kSafeExponent.
constexpr double kSafeExponent = 700;

// x as k log(2) + r, where r lies within half of log(2) of zero (Cody and Waite 1980, Software Manual for the Elementary Functions).
template <int n>
struct Exponent {
  Rows<n> shifted;  // a number to which halves no longer count holds k in its last digits
  Rows<n> nearly, less;  // r, which is exact to the last digit, is their difference
  TUNDREL_INLINE Rows<n> r() const { return nearly - less; }
};

template <int n>
TUNDREL_INLINE inline Exponent<n> exponent_of(const Rows<n>& x) {
  const Rows<n> shifted = x * 1.4426950408889634 + 0x1.8p52, k = shifted - 0x1.8p52;
  return {shifted, x - k * 0x1.62e42fefp-1, k * 0x1.473de6af278edp-34};
}

// exp(r) - 1 - r, by a polynomial that is interpolated at Chebyshev's places.
template <int n>
TUNDREL_INLINE inline Rows<n> bend_of_exp(const Rows<n>& r) {
  const Rows<n> r2 = r * r, r4 = r2 * r2;
  const Rows<n> low = (r * 0.0083333333333300511 + 0.04166666666662399) * r2 + (r * 0.16666666666666669 + 0.50000000000000011);
  const Rows<n> middle = (r * 2.7557268378684192e-06 + 2.4801521190217729e-05) * r2 + (r * 0.00019841269863105968 + 0.0013888888917281794);
  return r2 * (((r * 2.5100424157005067e-08 + 2.7620138719733994e-07) * r4 + middle) * r4 + low);
}

// x times 2^k.
template <int n>
TUNDREL_INLINE inline Rows<n> scaled_by(const Rows<n>& x, const Rows<n>& shifted) {
  return Rows<n>(x.digits() + (shifted.digits() << 52));
}

// By 2^k exp(r): below one unit in the last place.
template <int n>
TUNDREL_INLINE inline Rows<n> exp_of(const Rows<n>& x) {
  const Exponent<n> e = exponent_of(x);
  const Rows<n> r = e.r();
  return scaled_by(1.0 + (r + bend_of_exp(r)), e.shifted);
}

// Not a number beyond kSafeExponent, as those that follow. What r has lost is put back.
template <int n>
TUNDREL_INLINE inline Rows<n> expm1_of(const Rows<n>& x) {
  const Exponent<n> e = exponent_of(x);
  const Rows<n> r = e.r(), lost = (e.nearly - r) - e.less, power = scaled_by(Rows<n>(1), e.shifted);
  return only_where(x, -kSafeExponent, kSafeExponent, (power * r + (power - 1.0)) + power * (bend_of_exp(r) + (lost + lost * r)));
}

template <int n>
TUNDREL_INLINE inline Rows<n> abs_of(const Rows<n>& x) {
  return Rows<n>(x.digits() & 0x7fffffffffffffff);
}

template <int n>
TUNDREL_INLINE inline Rows<n> tanh_of(const Rows<n>& x) {
  const Rows<n> e = expm1_of(2.0 * abs_of(x));
  return Rows<n>((e / (e + 2.0)).digits() | (x.digits() & 0x8000000000000000));
}

template <int n>
TUNDREL_INLINE inline Rows<n> logistic_of(const Rows<n>& x) {
  return only_where(x, -kSafeExponent, kSafeExponent, 1.0 / (1.0 + exp_of(-x)));
}

}  // namespace tundrel
