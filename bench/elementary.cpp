// Elementary functions of many rows: time over the compiler's own, which take them one by one, and how far results are from the true ones.
#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <random>
#include <vector>

#include "expression/kernel.h"

using namespace tundrel;

namespace {

constexpr int kBlocks = 400;

struct Numbers {
  std::vector<double> x, y;
};

Numbers numbers(double low, double high, bool by_magnitude, double y_most) {
  std::mt19937_64 random(1);
  std::uniform_real_distribution<double> between(by_magnitude ? std::log(low) : low, by_magnitude ? std::log(high) : high), exponent(-y_most, y_most);
  Numbers out;
  for (int i = 0; i < kBlocks * kBlockRows; ++i) {
    const double x = between(random);
    out.x.push_back(by_magnitude ? std::exp(x) : x);
    out.y.push_back(exponent(random));
  }
  return out;
}

template <class Work>
double seconds(const Work& work) {
  const auto began = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
}

double median(std::vector<double> x) {
  std::nth_element(x.begin(), x.begin() + x.size() / 2, x.end());
  return x[x.size() / 2];
}

template <class Function>
void row(const char* name, Op op, const Numbers& at, const Function& function) {
  std::vector<double> out(at.x.size()), theirs(at.x.size()), ours_seconds, their_seconds;
  for (int turn = 0; turn < 15; ++turn) {
    ours_seconds.push_back(seconds([&] {
      for (int b = 0; b < kBlocks; ++b) {
        const int first = b * kBlockRows;
        evaluate_block(op, 0, {&at.x[first], 1}, {&at.y[first], 1}, {}, &out[first], kBlockRows);
      }
    }));
    their_seconds.push_back(seconds([&] {
      for (std::size_t i = 0; i < theirs.size(); ++i) theirs[i] = function(at.x[i], at.y[i]);
    }));
  }
  double worst = 0;
  for (std::size_t i = 0; i < out.size(); ++i) {
    const long double exact = function(static_cast<long double>(at.x[i]), static_cast<long double>(at.y[i]));
    const double size = std::fabs(static_cast<double>(exact));
    worst = std::max(worst, static_cast<double>(std::fabs(out[i] - exact)) / (size - std::nextafter(size, 0)));
  }
  const double ours = median(ours_seconds), compiler = median(their_seconds);
  std::printf("%-8s %6.2f ns a row, %5.2f of the compiler's, at most %4.2f units in the last place away\n", name, 1e9 * ours / out.size(), ours / compiler, worst);
}

}  // namespace

int main() {
  const auto exp = [](auto x, auto) { return std::exp(x); };
  const auto expm1 = [](auto x, auto) { return std::expm1(x); };
  const auto log = [](auto x, auto) { return std::log(x); };
  const auto log1p = [](auto x, auto) { return std::log1p(x); };
  const auto sin = [](auto x, auto) { return std::sin(x); };
  const auto cos = [](auto x, auto) { return std::cos(x); };
  const auto tanh = [](auto x, auto) { return std::tanh(x); };
  const auto plogis = [](auto x, auto) { return 1 / (1 + std::exp(-x)); };
  const auto power = [](auto x, auto y) { return std::pow(x, y); };
  row("exp", Op::exp, numbers(-30, 30, false, 1), exp);
  row("expm1", Op::expm1, numbers(-30, 30, false, 1), expm1);
  row("log", Op::log, numbers(1e-6, 1e6, true, 1), log);
  row("log1p", Op::log1p, numbers(1e-6, 1e6, true, 1), log1p);
  row("sin", Op::sin, numbers(-100, 100, false, 1), sin);
  row("cos", Op::cos, numbers(-100, 100, false, 1), cos);
  row("tanh", Op::tanh, numbers(-5, 5, false, 1), tanh);
  row("plogis", Op::plogis, numbers(-30, 30, false, 1), plogis);
  row("power", Op::power, numbers(1e-3, 1e3, true, 4), power);
  return 0;
}
