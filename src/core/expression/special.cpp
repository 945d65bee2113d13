#include "special.h"

#include <cmath>
#include <limits>

namespace tundrel {
namespace {

constexpr double kPi = 3.14159265358979323846;
constexpr double kNaN = std::numeric_limits<double>::quiet_NaN();
// From here on the asymptotic series are exact to the last bits.
constexpr double kLarge = 15.0;

bool is_pole(double x) { return x <= 0 && x == std::floor(x); }

}  // namespace

double digamma(double x) {
  if (is_pole(x)) return kNaN;
  if (x < 0) return digamma(1 - x) - kPi / std::tan(kPi * x);
  double shift = 0;
  for (; x < kLarge; x += 1) shift -= 1 / x;
  const double u = 1 / (x * x);
  return shift + std::log(x) - 0.5 / x -
         u * (1.0 / 12 - u * (1.0 / 120 - u * (1.0 / 252 - u * (1.0 / 240 - u * (1.0 / 132)))));
}

double trigamma(double x) {
  if (is_pole(x)) return kNaN;
  if (x < 0) {
    const double s = std::sin(kPi * x);
    return kPi * kPi / (s * s) - trigamma(1 - x);
  }
  double shift = 0;
  for (; x < kLarge; x += 1) shift += 1 / (x * x);
  const double u = 1 / (x * x);
  return shift + 1 / x + 0.5 * u +
         u / x * (1.0 / 6 - u * (1.0 / 30 - u * (1.0 / 42 - u * (1.0 / 30 - u * (5.0 / 66)))));
}

double tetragamma(double x) {
  if (is_pole(x)) return kNaN;
  if (x < 0) {
    const double s = std::sin(kPi * x);
    return tetragamma(1 - x) - 2 * kPi * kPi * kPi * std::cos(kPi * x) / (s * s * s);
  }
  double shift = 0;
  for (; x < kLarge; x += 1) shift -= 2 / (x * x * x);
  const double u = 1 / (x * x);
  return shift - u - u / x -
         u * u * (0.5 - u * (1.0 / 6 - u * (1.0 / 6 - u * (3.0 / 10 - u * (5.0 / 6)))));
}

double bessel_j(int order, double x) {
  // Negative orders arise in derivatives: J(-n) = (-1)^n J(n).
  const double sign = order < 0 && order % 2 != 0 ? -1 : 1;
  return sign * ::jn(std::abs(order), x);
}

double power_log(double x, double y, int k) {
  if (x == 0 && y > 0) return 0;
  return std::pow(x, y) * std::pow(std::log(x), k);
}

double normal_density(double x) { return std::exp(-0.5 * x * x) / std::sqrt(2 * kPi); }
double normal_probability(double x) { return 0.5 * std::erfc(-x / std::sqrt(2.0)); }
double logistic_probability(double x) {
  return x >= 0 ? 1 / (1 + std::exp(-x)) : std::exp(x) / (1 + std::exp(x));
}

}  // namespace tundrel
