#include "special.h"

#include <cmath>
#include <vector>

#include "../numbers.h"

namespace tundrel {
namespace {

// From here on the asymptotic series is exact to the last bits.
constexpr double kSpecialLarge = 18.0;
// Left of this the recurrence would take too long.
constexpr double kFarLeft = -1e4;

double whole_power(double x, int n) {
  double out = x;
  for (int i = 1; i < n; ++i) out *= x;
  return out;
}

}  // namespace

double polygamma(int n, double x) {
  if (std::isnan(x) || x < kFarLeft || (x <= 0 && x == std::floor(x))) return kNaN;
  double factorial = 1;  // of n
  for (int i = 2; i <= n; ++i) factorial *= i;
  // In magnitudes: every order n > 0 is (-1)^(n+1) times a sum of positive terms.
  double shift = 0;
  for (; x < kSpecialLarge; x += 1) shift += factorial / whole_power(x, n + 1);
  static const double kBernoulli[] = {1.0 / 6,  -1.0 / 30, 1.0 / 42, -1.0 / 30,
                                      5.0 / 66, -691.0 / 2730, 7.0 / 6};
  // The term of B(2k) is B(2k) (2k + n - 1)! / (2k)! / x^(2k + n).
  double series = 0;
  double ratio = factorial * (n + 1) / 2;  // (2k + n - 1)! / (2k)! for k = 1
  double power = 1 / whole_power(x, n + 2);
  for (int k = 1; k <= 7; ++k) {
    series += kBernoulli[k - 1] * ratio * power;
    ratio *= (2.0 * k + n) * (2.0 * k + n + 1) / ((2.0 * k + 1) * (2.0 * k + 2));
    power /= x * x;
  }
  const double half = 0.5 * factorial / whole_power(x, n + 1);
  if (n == 0) return std::log(x) - half - series - shift;
  const double sum = shift + factorial / n / whole_power(x, n) + half + series;
  return n % 2 == 0 ? -sum : sum;
}

double log_gamma(double x) {
#ifdef __GLIBC__
  int sign;
  return lgamma_r(x, &sign);
#else
  return std::lgamma(x);
#endif
}

double bessel_j(int order, double x) {
  // Negative orders arise in derivatives: J(-n) = (-1)^n J(n).
  const double sign = order < 0 && order % 2 != 0 ? -1 : 1;
  return sign * ::jn(std::abs(order), x);
}

namespace {

using Complex = std::complex<double>;

// Coefficients of Weideman's polynomial, by the discrete Fourier transform that defines them.
struct Weideman {
  static constexpr int kTerms = 64;
  double scale = std::sqrt(kTerms / std::sqrt(2.0));
  std::vector<double> coefficient = std::vector<double>(kTerms);

  Weideman() {
    const int m = 2 * kTerms;
    for (int n = 1; n <= kTerms; ++n) {
      double sum = 0;
      for (int k = -m + 1; k < m; ++k) {
        const double theta = k * kPi / m, t = scale * std::tan(theta / 2);
        sum += std::exp(-t * t) * (scale * scale + t * t) * std::cos(n * theta);
      }
      coefficient[n - 1] = sum / (2 * m);
    }
  }
};

}  // namespace

Complex faddeeva(double x, double y) {
  const Complex z(x, y), i(0, 1);
  if (std::isnan(x) || std::isnan(y) || y < 0) return Complex(kNaN, kNaN);
  if (std::norm(z) > 225) {
    Complex tail = 0;
    for (int k = 12; k >= 1; --k) tail = 0.5 * k / (z - tail);
    return i / std::sqrt(kPi) / (z - tail);
  }
  static const Weideman table;
  const Complex below = table.scale - i * z, ratio = (table.scale + i * z) / below;
  Complex sum = 0;
  for (int n = Weideman::kTerms; n >= 1; --n) sum = sum * ratio + table.coefficient[n - 1];
  return 2.0 * sum / (below * below) + 1 / std::sqrt(kPi) / below;
}

double normal_density(double x) { return std::exp(-0.5 * x * x) / std::sqrt(2 * kPi); }
double normal_probability(double x) { return 0.5 * std::erfc(-x / std::sqrt(2.0)); }
double logistic_probability(double x) {
  return x >= 0 ? 1 / (1 + std::exp(-x)) : std::exp(x) / (1 + std::exp(x));
}

}  // namespace tundrel
