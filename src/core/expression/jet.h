// A number with its first and second derivative in one variable.
#pragma once
#include <cmath>

namespace tundrel {

struct Jet {
  double v = 0, d = 0, dd = 0;

  Jet(double value = 0, double first = 0, double second = 0) : v(value), d(first), dd(second) {}
  double order(int k) const { return k == 0 ? v : k == 1 ? d : dd; }
  // f(this), from f and its derivatives at v
  Jet through(double f, double f1, double f2) const { return {f, f1 * d, f2 * d * d + f1 * dd}; }
};

inline Jet operator+(const Jet& a, const Jet& b) { return {a.v + b.v, a.d + b.d, a.dd + b.dd}; }
inline Jet operator-(const Jet& a, const Jet& b) { return {a.v - b.v, a.d - b.d, a.dd - b.dd}; }
inline Jet operator*(const Jet& a, const Jet& b) {
  return {a.v * b.v, a.d * b.v + a.v * b.d, a.dd * b.v + 2 * a.d * b.d + a.v * b.dd};
}
inline Jet reciprocal(const Jet& a) { return a.through(1 / a.v, -1 / (a.v * a.v), 2 / (a.v * a.v * a.v)); }
inline Jet operator/(const Jet& a, const Jet& b) { return a * reciprocal(b); }
inline Jet log(const Jet& a) { return a.through(std::log(a.v), 1 / a.v, -1 / (a.v * a.v)); }
inline Jet expm1(const Jet& a) { return a.through(std::expm1(a.v), std::exp(a.v), std::exp(a.v)); }

}  // namespace tundrel
