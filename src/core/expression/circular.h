// Sines and cosines of a few rows at once.
#pragma once
#include "row_groups.h"

namespace tundrel {

// Farther from zero a quarter turn has too few digits here.
constexpr double kMostOfCircular = 1e6;

// x as a number of quarter turns, in the last digits of `shifted`, and what is left of it, within half a quarter turn of zero: as a sum whose second
// part is what no longer fits the first. A quarter turn in three parts, of which products with the first two are exact (Cody and Waite 1980).
template <int n>
struct Turned {
  Rows<n> shifted, angle, rest;
};

template <int n>
TUNDREL_INLINE inline Turned<n> turned(const Rows<n>& x) {
  const Rows<n> shifted = x * 0x1.45f306dc9c883p-1 + 0x1.8p52, k = shifted - 0x1.8p52;
  const Rows<n> first = x - k * 0x1.921fb54400000p+0, second = k * 0x1.0b4611a600000p-34, nearly = first - second;
  const Rows<n> beyond = ((first - nearly) - second) - k * 0x1.3198a2e037073p-69;
  const Rows<n> angle = nearly + beyond;
  return {shifted, angle, (nearly - angle) + beyond};
}

// Of an angle and its rest: by polynomials interpolated at Chebyshev's places.
template <int n>
TUNDREL_INLINE inline Rows<n> sine_near_zero(const Turned<n>& t) {
  const Rows<n> z = t.angle * t.angle, cube = z * t.angle;
  Rows<n> q = z * 1.5917848665121712e-10 - 2.5051127945965636e-08;
  q = q * z + 2.755731608382574e-06;
  q = q * z - 0.00019841269836722437;
  q = q * z + 0.008333333333330925;
  return t.angle - ((z * (0.5 * t.rest - cube * q) - t.rest) + cube * 0.16666666666666666);
}

template <int n>
TUNDREL_INLINE inline Rows<n> cosine_near_zero(const Turned<n>& t) {
  const Rows<n> z = t.angle * t.angle, half = 0.5 * z, first = 1.0 - half;
  Rows<n> q = z * -1.138245686584034e-11 + 2.0876143829213935e-09;
  q = q * z - 2.755731726001471e-07;
  q = q * z + 2.480158729874308e-05;
  q = q * z - 0.0013888888888887382;
  q = q * z + 0.041666666666666664;
  return first + (((1.0 - first) - half) + (z * z * q - t.angle * t.rest));
}

// The sine of an angle after so many quarter turns more.
template <int n>
TUNDREL_INLINE inline Rows<n> sine_after(const Rows<n>& x, unsigned long long quarters) {
  const Turned<n> t = turned(x);
  const Digits<n> turns = t.shifted.digits() + quarters, odd = Digits<n>() - (turns & 1), sign = (turns & 2) << 62;
  const Rows<n> chosen = Rows<n>((cosine_near_zero(t).digits() & odd) | (sine_near_zero(t).digits() & ~odd));
  return only_where(x, -kMostOfCircular, kMostOfCircular, Rows<n>(chosen.digits() ^ sign));
}

// Below one unit in the last place.
template <int n>
TUNDREL_INLINE inline Rows<n> sin_of(const Rows<n>& x) {
  return sine_after(x, 0);
}

template <int n>
TUNDREL_INLINE inline Rows<n> cos_of(const Rows<n>& x) {
  return sine_after(x, 1);
}

}  // namespace tundrel
