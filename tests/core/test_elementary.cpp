#include <catch2/catch.hpp>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <string>
#include <vector>

#include "expression/circular.h"
#include "expression/kernel.h"
#include "expression/logarithm.h"

using namespace tundrel;

namespace {

std::vector<double> of_rows(Op op, const double* x, const double* y, int n) {
  std::vector<double> out(n);
  evaluate_block(op, 0, {x, 1}, {y, 1}, {x, 1}, out.data(), n);
  return out;
}

// What is computed for several rows at once, with the true value and how many units in the last place it may be away.
struct Elementary {
  const char* name;
  Op op;
  long double (*truth)(long double, long double);
  double units;
  std::vector<double> x, y;
};

// Numbers spread evenly, but not regularly, between two.
std::vector<double> between(double low, double high, int n = 3000) {
  std::vector<double> out;
  for (int i = 0; i < n; ++i) out.push_back(low + (high - low) * (i + 0.5 + 0.49 * std::sin(1.0 * i)) / n);
  return out;
}
std::vector<double> over_magnitudes(double low, double high, int n = 3000) {
  std::vector<double> out = between(std::log(low), std::log(high), n);
  for (double& x : out) x = std::exp(x);
  return out;
}
std::vector<double> turned_around(std::vector<double> x) {
  std::reverse(x.begin(), x.end());
  for (std::size_t i = 0; i + 1 < x.size(); i += 2) std::swap(x[i], x[x.size() - 1 - i]);
  return x;
}
// Where a sine or a cosine is next to nothing.
std::vector<double> quarter_turns() {
  std::vector<double> out;
  for (int k = -3000; k < 3000; ++k) out.push_back(97 * k * 1.57079632679489661923);
  return out;
}

std::vector<Elementary> all_elementary() {
  const auto power = [](long double x, long double y) { return std::pow(x, y); };
  const auto log = [](long double x, long double) { return std::log(x); };
  const auto sin = [](long double x, long double) { return std::sin(x); };
  const auto cos = [](long double x, long double) { return std::cos(x); };
  const auto tanh = [](long double x, long double) { return std::tanh(x); };
  const auto log1p = [](long double x, long double) { return std::log1p(x); };
  const auto expm1 = [](long double x, long double) { return std::expm1(x); };
  const auto exp = [](long double x, long double) { return std::exp(x); };
  const auto logistic = [](long double x, long double) { return 1 / (1 + std::exp(-x)); };
  return {
      {"exp", Op::exp, exp, 1, between(-699, 699), {}},
      {"exp near zero", Op::exp, exp, 1, between(-1, 1), {}},
      {"expm1", Op::expm1, expm1, 1.5, between(-3, 3), {}},
      {"expm1 far out", Op::expm1, expm1, 1.5, between(-60, 699), {}},
      {"expm1 next to zero", Op::expm1, expm1, 1.5, over_magnitudes(1e-300, 1), {}},
      {"log near one", Op::log, log, 1, between(0.5, 2), {}},
      {"log", Op::log, log, 1, over_magnitudes(1e-307, 1e308), {}},
      {"log1p", Op::log1p, log1p, 1.5, between(-0.999, 3), {}},
      {"log1p next to zero", Op::log1p, log1p, 1.5, over_magnitudes(1e-300, 1e300), {}},
      {"tanh", Op::tanh, tanh, 2.5, between(-20, 20), {}},
      {"tanh next to zero", Op::tanh, tanh, 2.5, over_magnitudes(1e-300, 1), {}},
      {"plogis", Op::plogis, logistic, 2.5, between(-690, 690), {}},
      {"sin", Op::sin, sin, 1, between(-10, 10), {}},
      {"sin far out", Op::sin, sin, 1, between(-9.9e5, 9.9e5), {}},
      {"sin at its zeros", Op::sin, sin, 1, quarter_turns(), {}},
      {"cos", Op::cos, cos, 1, between(-10, 10), {}},
      {"cos far out", Op::cos, cos, 1, between(-9.9e5, 9.9e5), {}},
      {"cos at its zeros", Op::cos, cos, 1, quarter_turns(), {}},
      {"power", Op::power, power, 1.5, over_magnitudes(1e-3, 1e3), turned_around(between(-5, 5))},
      {"power of what is large and small", Op::power, power, 1.5, over_magnitudes(1e-300, 1e300), turned_around(between(-1, 1))},
      {"high power of nearly one", Op::power, power, 1.5, between(0.9, 1.1), turned_around(between(-6000, 6000))},
  };
}

}  // namespace

TEST_CASE("elementary functions of rows are within one or two units in the last place of the true value") {
  for (const Elementary& one : all_elementary()) {
    INFO(one.name);
    const int n = static_cast<int>(one.x.size());
    const std::vector<double>& y = one.y.empty() ? one.x : one.y;
    double worst = 0;
    for (int first = 0; first < n; first += kBlockRows) {
      const int rows = std::min(kBlockRows, n - first);
      const std::vector<double> out = of_rows(one.op, &one.x[first], &y[first], rows);
      for (int i = 0; i < rows; ++i) {
        const long double truth = one.truth(one.x[first + i], y[first + i]);
        const double size = std::fabs(static_cast<double>(truth));
        if (!(size >= std::numeric_limits<double>::min() && size <= std::numeric_limits<double>::max())) continue;
        const double unit = size - std::nextafter(size, 0);
        const auto away = static_cast<double>(std::fabs(out[i] - truth) / unit);
        worst = away <= worst ? worst : away;
      }
    }
    CHECK(worst <= one.units);
  }
}

TEST_CASE("elementary functions of rows are the same bits however many rows there are and wherever the result is put") {
  for (const Elementary& one : all_elementary()) {
    INFO(one.name);
    const std::vector<double>& y = one.y.empty() ? one.x : one.y;
    for (std::size_t i = 0; i + 7 <= one.x.size(); i += 5) {
      const double alone = of_rows(one.op, &one.x[i], &y[i], 1)[0];
      for (int n = 2; n <= 7; ++n) {
        const std::vector<double> several = of_rows(one.op, &one.x[i], &y[i], n);
        REQUIRE(std::memcmp(&several[0], &alone, sizeof alone) == 0);
      }
      const std::vector<double> seven = of_rows(one.op, &one.x[i], &y[i], 7);
      std::vector<double> in_place(&one.x[i], &one.x[i] + 7);
      evaluate_block(one.op, 0, {in_place.data(), 1}, {y == one.x ? in_place.data() : &y[i], 1}, {}, in_place.data(), 7);
      REQUIRE(std::memcmp(in_place.data(), seven.data(), 7 * sizeof alone) == 0);
    }
  }
}

TEST_CASE("elementary functions compiled for the narrowest vectors and for the widest are the same bits") {
  for (double x : over_magnitudes(1e-3, 600, 500)) {
    const double y = std::sin(x);
    const auto rows = [&](Op op) { return of_rows(op, &x, &y, 1)[0]; };
    REQUIRE(exp_of(Rows<1>(x))[0] == rows(Op::exp));
    REQUIRE(expm1_of(Rows<1>(x))[0] == rows(Op::expm1));
    REQUIRE(log_of(Rows<1>(x))[0] == rows(Op::log));
    REQUIRE(log1p_of(Rows<1>(x))[0] == rows(Op::log1p));
    REQUIRE(sin_of(Rows<1>(x))[0] == rows(Op::sin));
    REQUIRE(cos_of(Rows<1>(x))[0] == rows(Op::cos));
    REQUIRE(logistic_of(Rows<1>(x))[0] == rows(Op::plogis));
    REQUIRE(power_of(Rows<1>(x), Rows<1>(y))[0] == rows(Op::power));
    if (x < 300) REQUIRE(tanh_of(Rows<1>(x))[0] == rows(Op::tanh));
  }
}

TEST_CASE("elementary functions of rows are those of single numbers at zeros, limits, infinities and what is no number") {
  const double kInfinity = std::numeric_limits<double>::infinity(), least = std::numeric_limits<double>::denorm_min();
  const std::vector<double> special = {0,     1,      -1,    2,    -2,   0.5,    -0.5, 3,     -3,        kInfinity,  -kInfinity, std::nan(""), least, -least,
                                       1e-310, -1e-310, 1e308, 1e-308, -1000, -745.1, -710, 710,   1000,      1e300,      -1e300,     1e7,          -1e7,  700.5, -700.5};
  const auto same = [](double a, double b) { return std::isnan(a) ? std::isnan(b) : a == b || std::fabs(a - b) <= 4e-16 * std::fabs(b); };
  for (Op op : {Op::exp, Op::expm1, Op::log, Op::log1p, Op::sin, Op::cos, Op::tanh, Op::plogis})
    for (std::size_t i = 0; i < special.size(); ++i) {
      INFO(static_cast<int>(op) << " of " << special[i]);
      // beside rows that are not special
      std::vector<double> rows(9, 0.7);
      rows[i % 9] = special[i];
      const std::vector<double> out = of_rows(op, rows.data(), rows.data(), 9);
      CHECK(same(out[i % 9], evaluate_scalar(op, 0, special[i], 0, 0)));
      CHECK(same(out[(i + 1) % 9], evaluate_scalar(op, 0, 0.7, 0, 0)));
    }
  for (Op op : {Op::power, Op::gated, Op::multiply})
    for (double x : special)
      for (double y : special) {
        INFO(static_cast<int>(op) << " of " << x << " and " << y);
        CHECK(same(of_rows(op, &x, &y, 1)[0], evaluate_scalar(op, 0, x, y, 0)));
      }
}
