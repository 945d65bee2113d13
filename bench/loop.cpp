// The hand-written yardstick: y = a exp(-b x) + c, its derivatives and normal equations, in one plain
// loop over rows, done a given number of times.
//
//   loop DATA ROWS TIMES      DATA holds x, then y, as doubles; prints seconds
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <vector>

int main(int argc, char** argv) {
  if (argc != 4) return 2;
  const long rows = std::atol(argv[2]);
  const int times = std::atoi(argv[3]);
  std::vector<double> x(rows), y(rows);
  std::ifstream file(argv[1], std::ios::binary);
  file.read(reinterpret_cast<char*>(x.data()), rows * 8);
  file.read(reinterpret_cast<char*>(y.data()), rows * 8);
  const auto began = std::chrono::steady_clock::now();
  double kept = 0;
  for (int t = 0; t < times; ++t) {
    const double a = 3 + 1e-6 * t, b = 0.7, c = 0.5;
    double s[10] = {0};
    for (long i = 0; i < rows; ++i) {
      const double e = std::exp(-b * x[i]);
      const double r = y[i] - (a * e + c);
      const double ja = e, jb = -a * x[i] * e;
      s[0] += r * r;
      s[1] += ja * r; s[2] += jb * r; s[3] += r;
      s[4] += ja * ja; s[5] += ja * jb; s[6] += ja;
      s[7] += jb * jb; s[8] += jb; s[9] += 1;
    }
    for (double v : s) kept += v;
  }
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  std::printf("%.6f %g\n", seconds, kept);
}
