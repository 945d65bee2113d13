#include "probability.h"

#include <cmath>
#include <cstdint>

#include "../numbers.h"
#include "jet.h"
#include "special.h"

namespace tundrel {
namespace {

const double kLogRootTwoPi = 0.918938533204672741780329736406;
// From here on Stirling's series is exact to the last bits.
constexpr double kProbabilityLarge = 16;
// A sum that needs more terms is given up.
constexpr std::int64_t kMostTerms = 200000;

// The asymptotic series sum B(2k) / (2k (2k - 1)) x^(1 - 2k), differentiated `order` times.
double stirling_series(int order, double x) {
  static const double kTerms[] = {1.0 / 12,      -1.0 / 360,      1.0 / 1260,    -1.0 / 1680,
                                  1.0 / 1188, -691.0 / 360360, 1.0 / 156};
  double sum = 0;
  for (int k = 6; k >= 0; --k) {
    double term = kTerms[k] * std::pow(x, -(2 * k + 1) - order);
    for (int j = 0; j < order; ++j) term *= -(2 * k + 1 + j);
    sum += term;
  }
  return sum;
}

// log of the scaled complementary error function exp(y^2) erfc(y), y not negative.
double log_scaled_erfc(double y) { return std::log(faddeeva(0, y).real()); }

// log of x^shape e^-x / gamma(shape), as a jet in the shape.
Jet log_gamma_density(double shape, double x) {
  return {shape * std::log(x) - x - log_gamma(shape), std::log(x) - polygamma(0, shape), -polygamma(1, shape)};
}

// log P by the series sum x^k / (shape)(shape + 1)...(shape + k).
Jet log_lower_series(double shape, double x) {
  Jet term = reciprocal(Jet(shape, 1)), sum = term;
  for (std::int64_t k = 1; k < kMostTerms; ++k) {
    term = term * Jet(x) / Jet(shape + k, 1);
    sum = sum + term;
    if (term.v < kEpsilon * sum.v && std::fabs(term.d) < kEpsilon * std::fabs(sum.d) &&
        std::fabs(term.dd) < kEpsilon * std::fabs(sum.dd))
      break;
  }
  return log_gamma_density(shape, x) + log(sum);
}

// log Q by the continued fraction 1/(x+1-s- 1(1-s)/(x+3-s- 2(2-s)/(x+5-s- ...))), by Lentz's method.
Jet log_upper_fraction(double shape, double x) {
  const Jet s(shape, 1);
  Jet b = Jet(x + 1) - s;
  Jet c = Jet(1e300), d = reciprocal(b), h = d;
  for (std::int64_t k = 1; k < kMostTerms; ++k) {
    const Jet a = Jet(-static_cast<double>(k)) * (Jet(static_cast<double>(k)) - s);
    b = b + Jet(2);
    d = reciprocal(a * d + b);
    c = b + a / c;
    const Jet change = c * d;
    h = h * change;
    if (std::fabs(change.v - 1) + std::fabs(change.d) + std::fabs(change.dd) < 4 * kEpsilon) break;
  }
  return log_gamma_density(shape, x) + log(h);
}

// log(1 - exp(a)), a below zero.
Jet log_complement(const Jet& a) { return log(Jet(0) - expm1(a)); }

}  // namespace

double unit_deviance(double a, double b) {
  if (a == 0) return b >= 0 ? b : kNaN;
  if (!(a > 0) || !(b > 0)) return kNaN;
  if (std::fabs(a - b) >= 0.1 * (a + b)) return a * std::log(a / b) + b - a;
  const double v = (a - b) / (a + b);
  double sum = (a - b) * v, power = 2 * a * v;
  for (int j = 1; j < 1000; ++j) {
    power *= v * v;
    const double next = sum + power / (2 * j + 1);
    if (next == sum) break;
    sum = next;
  }
  return sum;
}

double stirling_error(int order, double x) {
  if (!(x > 0)) return kNaN;
  if (x >= kProbabilityLarge) return stirling_series(order, x);
  switch (order) {
    case 0: return log_gamma(x) - (x - 0.5) * std::log(x) + x - kLogRootTwoPi;
    case 1: return polygamma(0, x) - std::log(x) + 0.5 / x;
    case 2: return polygamma(1, x) - (1 + 0.5 / x) / x;
    default: return kNaN;
  }
}

double log_normal_probability(double z) {
  if (std::isnan(z)) return z;
  if (z > 0) return std::log1p(-0.5 * std::erfc(z / std::sqrt(2.0)));
  if (z > -1) return std::log(0.5 * std::erfc(-z / std::sqrt(2.0)));
  return -0.5 * z * z + log_scaled_erfc(-z / std::sqrt(2.0)) - std::log(2.0);
}

double normal_hazard(double z) {
  if (std::isnan(z)) return z;
  if (z > 0) return std::sqrt(2 / 3.14159265358979323846) / faddeeva(0, z / std::sqrt(2.0)).real();
  return normal_density(z) / (0.5 * std::erfc(z / std::sqrt(2.0)));
}

double log_incomplete_gamma(bool upper, int order, double shape, double x) {
  if (!(shape > 0) || !(x >= 0) || order > 2) return kNaN;
  if (x == 0 || std::isinf(x)) {
    if (upper == (x == 0)) return 0;
    return order == 0 ? -kInfinity : kNaN;
  }
  const bool by_series = x < shape + 1;
  const Jet direct = by_series ? log_lower_series(shape, x) : log_upper_fraction(shape, x);
  return (by_series == !upper ? direct : log_complement(direct)).order(order);
}

}  // namespace tundrel
