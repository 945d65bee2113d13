// The hand-written yardstick for many small fits: y = a exp(-b x) + c in every group, by Levenberg-Marquardt on normal
// equations, groups shared out over two threads.
//
//   groups-loop DATA GROUPS ROWS      DATA holds x, then y, as doubles, group after group; prints seconds, evaluations and
//                                     the sum of the least squares reached
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <thread>
#include <vector>

namespace {

struct Sums {
  double s, g[3], h[6];
};

Sums pass(const double* x, const double* y, int n, const double* p) {
  Sums t{};
  for (int i = 0; i < n; ++i) {
    const double e = std::exp(-p[1] * x[i]), r = p[0] * e + p[2] - y[i], jb = -p[0] * x[i] * e;
    t.s += r * r;
    t.g[0] += e * r; t.g[1] += jb * r; t.g[2] += r;
    t.h[0] += e * e; t.h[1] += e * jb; t.h[2] += e; t.h[3] += jb * jb; t.h[4] += jb; t.h[5] += 1;
  }
  return t;
}

// (H + damping diag H) d = -g for three unknowns, by Cholesky; FALSE where that fails.
bool solve(const Sums& t, double damping, double* d) {
  const double k = 1 + damping;
  const double l00 = std::sqrt(t.h[0] * k), l10 = t.h[1] / l00, l20 = t.h[2] / l00;
  const double q11 = t.h[3] * k - l10 * l10;
  if (!(q11 > 0)) return false;
  const double l11 = std::sqrt(q11), l21 = (t.h[4] - l20 * l10) / l11, q22 = t.h[5] * k - l20 * l20 - l21 * l21;
  if (!(q22 > 0)) return false;
  const double l22 = std::sqrt(q22);
  const double z0 = -t.g[0] / l00, z1 = (-t.g[1] - l10 * z0) / l11, z2 = (-t.g[2] - l20 * z0 - l21 * z1) / l22;
  d[2] = z2 / l22;
  d[1] = (z1 - l21 * d[2]) / l11;
  d[0] = (z0 - l10 * d[1] - l20 * d[2]) / l00;
  return true;
}

double fit(const double* x, const double* y, int n, long& evaluations) {
  double p[3] = {2, 1, 0}, damping = 1e-3;
  Sums at = pass(x, y, n, p);
  ++evaluations;
  for (int k = 0; k < 200; ++k) {
    double d[3], q[3];
    if (!solve(at, damping, d)) {
      damping *= 10;
      continue;
    }
    for (int i = 0; i < 3; ++i) q[i] = p[i] + d[i];
    const Sums there = pass(x, y, n, q);
    ++evaluations;
    if (there.s <= at.s) {
      const bool small = at.s - there.s <= 1e-10 * at.s && std::fabs(d[0] * at.g[0] + d[1] * at.g[1] + d[2] * at.g[2]) <= 1e-20 * at.s;
      for (int i = 0; i < 3; ++i) p[i] = q[i];
      at = there;
      damping *= 0.1;
      if (small) break;
    } else {
      if (damping > 1e8) break;
      damping *= 10;
    }
  }
  return at.s;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 4) return 2;
  const int groups = std::atoi(argv[2]), rows = std::atoi(argv[3]);
  std::vector<double> x(static_cast<std::size_t>(groups) * rows), y(x.size());
  std::ifstream file(argv[1], std::ios::binary);
  file.read(reinterpret_cast<char*>(x.data()), static_cast<std::streamsize>(8 * x.size()));
  file.read(reinterpret_cast<char*>(y.data()), static_cast<std::streamsize>(8 * y.size()));
  const auto began = std::chrono::steady_clock::now();
  std::vector<double> sums(groups);
  long evaluations[2] = {0, 0};
  const auto half = [&](int t) {
    for (int g = t; g < groups; g += 2) sums[g] = fit(&x[static_cast<std::size_t>(g) * rows], &y[static_cast<std::size_t>(g) * rows], rows, evaluations[t]);
  };
  std::thread other(half, 1);
  half(0);
  other.join();
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  double total = 0;
  for (double s : sums) total += s;
  std::printf("%.6f %ld %.17g\n", seconds, evaluations[0] + evaluations[1], total);
}
