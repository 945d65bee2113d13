// The hand-written yardstick for many small fits: decays of as many rows each, shared out over two threads. A library for R, so that it runs
// under the same conditions as what it is compared with.
#include <chrono>

#include "hand-fit.h"

// `y` holds the readings, group after group; `x` as many positions, or with `one_x` those of one group, which serve for all. Gives seconds,
// evaluations and the sum of the least squares reached.
extern "C" void groups_loop(const double* x, const double* y, const int* groups, const int* rows, const int* one_x, const double* start, double* out) {
  const auto began = std::chrono::steady_clock::now();
  std::vector<double> sums(*groups);
  long evaluations[2] = {0, 0};
  const auto half = [&](int t) {
    for (long g = t; g < *groups; g += 2) {
      double p[Decay::P] = {start[0], start[1], start[2]};
      sums[g] = fit<Decay>(*one_x ? x : x + g * *rows, y + g * *rows, *rows, p, evaluations[t]);
    }
  };
  std::thread other(half, 1);
  half(0);
  other.join();
  out[0] = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  out[1] = static_cast<double>(evaluations[0] + evaluations[1]);
  out[2] = 0;
  for (double s : sums) out[2] += s;
}
