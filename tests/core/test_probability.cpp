#include <catch2/catch.hpp>

#include "differences.h"
#include "expression/derivative.h"
#include "expression/probability.h"
#include "expression/program.h"
#include "expression/term.h"

using namespace tundrel;

TEST_CASE("half deviances keep their digits where the mean is close to the count") {
  // a log(a/b) - a + b = d^2 / (2 b) - d^3 / (6 b^2) + ... for a = b + d
  CHECK(unit_deviance(1e10 + 1, 1e10) == Approx(0.5 / 1e10 - 1 / (6 * 1e20)).epsilon(1e-13));
  CHECK(unit_deviance(3, 7) == Approx(3 * std::log(3.0 / 7) + 4).epsilon(1e-14));
  CHECK(unit_deviance(0, 2.5) == 2.5);
  CHECK(unit_deviance(4, 4) == 0);
  CHECK(std::isnan(unit_deviance(0, -1)));
  CHECK(std::isnan(unit_deviance(2, -1)));
}

TEST_CASE("what Stirling's formula leaves out meets log gamma, and the recurrence of its derivatives") {
  for (double x : {0.02, 0.7, 1.0, 2.5, 9.0, 15.9, 16.1, 120.0}) {
    const double expected = std::lgamma(x) - (x - 0.5) * std::log(x) + x - 0.918938533204672741780329736406;
    CHECK(stirling_error(0, x) == Approx(expected).epsilon(1e-11).margin(1e-12));
    for (int order : {0, 1})
      CHECK(stirling_error(order + 1, x) ==
            Approx(difference([&](double t) { return stirling_error(order, t); }, x, 1e-3 * std::min(1.0, x))).epsilon(1e-8));
  }
  // far out the series itself: 1/(12 x)
  CHECK(stirling_error(0, 1e9) == Approx(1 / 12e9).epsilon(1e-14));
  CHECK(std::isnan(stirling_error(0, -2)));
}

TEST_CASE("normal tails keep their digits") {
  CHECK(log_normal_probability(0) == Approx(-std::log(2.0)).epsilon(1e-15));
  CHECK(log_normal_probability(9) == Approx(-0.5 * std::erfc(9 / std::sqrt(2.0))).epsilon(1e-12));
  // log Phi(-z) = -z^2/2 - log(z sqrt(2 pi)) + log(1 - 1/z^2 + 3/z^4 - 15/z^6 + ...)
  for (double z : {40.0, 1e4}) {
    const double s = 1 / (z * z);
    const double tail = std::log1p(-s + 3 * s * s - 15 * s * s * s + 105 * s * s * s * s);
    CHECK(log_normal_probability(-z) == Approx(-0.5 * z * z - std::log(z) - 0.918938533204672742 + tail).epsilon(1e-13));
    CHECK(normal_hazard(z) == Approx(z / (1 - s + 3 * s * s - 15 * s * s * s)).epsilon(1e-8));
  }
  for (double z : {-5.0, -1.0001, -0.9999, -0.2, 0.3, 4.0})
    CHECK(normal_hazard(-z) == Approx(difference(log_normal_probability, z)).epsilon(1e-9));
}

TEST_CASE("the incomplete gamma function meets its closed forms") {
  for (double x : {1e-3, 0.4, 1.7, 2.2, 6.0, 30.0}) {
    // shape 1: 1 - exp(-x); shape 3: upper tail exp(-x)(1 + x + x^2/2); shape 1/2: erf(sqrt(x))
    CHECK(log_incomplete_gamma(false, 0, 1, x) == Approx(std::log(-std::expm1(-x))).epsilon(1e-12));
    CHECK(log_incomplete_gamma(true, 0, 1, x) == Approx(-x).epsilon(1e-12));
    CHECK(log_incomplete_gamma(true, 0, 3, x) == Approx(-x + std::log(1 + x + x * x / 2)).epsilon(1e-11).margin(1e-13));
    CHECK(log_incomplete_gamma(false, 0, 0.5, x) == Approx(std::log(std::erf(std::sqrt(x)))).epsilon(1e-11));
    for (double shape : {0.3, 1.0, 4.5, 20.0})
      for (bool upper : {false, true})
        for (int order : {0, 1})
          CHECK(log_incomplete_gamma(upper, order + 1, shape, x) ==
                Approx(difference([&](double s) { return log_incomplete_gamma(upper, order, s, x); }, shape, 2e-3 * std::min(1.0, shape)))
                    .epsilon(1e-7).margin(1e-11));
  }
  CHECK(log_incomplete_gamma(false, 0, 2, 0) == -INFINITY);
  CHECK(log_incomplete_gamma(true, 0, 2, 0) == 0);
  CHECK(std::isnan(log_incomplete_gamma(true, 0, -1, 2)));
}

TEST_CASE("terms are written as formulas and refuse what lies outside their range") {
  Graph g;
  const Term x{&g, g.parameter(0)};
  const auto at = [&](const Term& t, double value) {
    double out = 0;
    Program(g, {t.node}).run_all(&value, Columns{{}, 1}, &out);
    return out;
  };
  CHECK(at(2.0 * x - 1.0 / x, 4) == Approx(7.75));
  CHECK(at(choose(x > 1, log(x), -x), 0.5) == -0.5);
  CHECK(std::isnan(at(where(x > 0, x), -1)));
  CHECK(at(where(x > 0, square(x)), 3) == 9);
}
