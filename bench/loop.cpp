// The hand-written yardstick for one big fit.
//
//   loop MODEL DATA ROWS THREADS START...    MODEL is decay or bells; DATA holds x, then y, as doubles; prints seconds, evaluations,
//                                            the sum of squares
#include <chrono>
#include <cstring>

#include "hand-fit.h"

int main(int argc, char** argv) {
  const bool bells = argc > 1 && std::strcmp(argv[1], "bells") == 0;
  const int n_parameters = bells ? Bells::P : Decay::P;
  if (argc != 5 + n_parameters) return 2;
  const long rows = std::atol(argv[3]);
  const int threads = std::atoi(argv[4]);
  const std::vector<double> data = numbers(argv[2], 2 * static_cast<std::size_t>(rows));
  std::vector<double> p;
  for (int a = 0; a < n_parameters; ++a) p.push_back(std::atof(argv[5 + a]));
  const double *x = data.data(), *y = x + rows;
  long evaluations = 0;
  const auto began = std::chrono::steady_clock::now();
  const double s = bells ? fit<Bells>(x, y, rows, p.data(), evaluations, threads) : fit<Decay>(x, y, rows, p.data(), evaluations, threads);
  std::printf("%.6f %ld %.17g\n", std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count(), evaluations, s);
}
