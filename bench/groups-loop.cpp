// The hand-written yardstick for many small fits: decays of as many rows each, shared out over two threads.
//
//   groups-loop DATA GROUPS ROWS      DATA holds x, then y, as doubles, group after group
//   groups-loop DATA GROUPS ROWS START...     the same from this start, with one x for all groups: fits to resampled readings
//
// Prints seconds, evaluations and the sum of the least squares reached.
#include <chrono>

#include "hand-fit.h"

int main(int argc, char** argv) {
  if (argc != 4 && argc != 4 + Decay::P) return 2;
  const long groups = std::atol(argv[2]), rows = std::atol(argv[3]);
  const bool one_x = argc > 4;
  double start[Decay::P] = {2, 1, 0};
  for (int a = 0; one_x && a < Decay::P; ++a) start[a] = std::atof(argv[4 + a]);
  const std::vector<double> data = numbers(argv[1], static_cast<std::size_t>(one_x ? groups + 1 : 2 * groups) * rows);
  const double *x = data.data(), *y = x + (one_x ? 1 : groups) * rows;
  const auto began = std::chrono::steady_clock::now();
  std::vector<double> sums(groups);
  long evaluations[2] = {0, 0};
  const auto half = [&](int t) {
    for (long g = t; g < groups; g += 2) {
      double p[Decay::P] = {start[0], start[1], start[2]};
      sums[g] = fit<Decay>(one_x ? x : x + g * rows, y + g * rows, rows, p, evaluations[t]);
    }
  };
  std::thread other(half, 1);
  half(0);
  other.join();
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  double total = 0;
  for (double s : sums) total += s;
  std::printf("%.6f %ld %.17g\n", seconds, evaluations[0] + evaluations[1], total);
}
