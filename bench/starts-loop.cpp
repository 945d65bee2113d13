// Local fits of two decays from many starts, by hand: Levenberg-Marquardt on the normal equations, for this model alone.
// Usage: starts-loop DATA ROWS STARTS COUNT: doubles x, then y; starts of four parameters each. Prints seconds, fits that
// ended at the best value, and evaluations.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <vector>

struct Sums {
  double value = 0, g[4] = {0}, h[4][4] = {{0}};
};

static std::vector<double> read(const char* path) {
  std::vector<double> out;
  std::FILE* f = std::fopen(path, "rb");
  double x;
  while (std::fread(&x, sizeof x, 1, f) == 1) out.push_back(x);
  std::fclose(f);
  return out;
}

static Sums sums(const double* x, const double* y, int n, const double* p) {
  Sums s;
  for (int i = 0; i < n; ++i) {
    const double e1 = std::exp(-p[1] * x[i]), e2 = std::exp(-p[3] * x[i]);
    const double r = y[i] - p[0] * e1 - p[2] * e2;
    const double j[4] = {-e1, p[0] * x[i] * e1, -e2, p[2] * x[i] * e2};
    s.value += r * r;
    for (int a = 0; a < 4; ++a) {
      s.g[a] += j[a] * r;
      for (int b = 0; b <= a; ++b) s.h[a][b] += j[a] * j[b];
    }
  }
  return s;
}

static bool step(const Sums& s, const double* scale, double damping, double* d) {
  double l[4][4], z[4];
  for (int a = 0; a < 4; ++a)
    for (int b = 0; b <= a; ++b) {
      double v = s.h[a][b] + (a == b ? damping * scale[a] : 0);
      for (int k = 0; k < b; ++k) v -= l[a][k] * l[b][k];
      if (a == b) {
        if (!(v > 0)) return false;
        l[a][a] = std::sqrt(v);
      } else {
        l[a][b] = v / l[b][b];
      }
    }
  for (int a = 0; a < 4; ++a) {
    z[a] = -s.g[a];
    for (int k = 0; k < a; ++k) z[a] -= l[a][k] * z[k];
    z[a] /= l[a][a];
  }
  for (int a = 3; a >= 0; --a) {
    d[a] = z[a];
    for (int k = a + 1; k < 4; ++k) d[a] -= l[k][a] * d[k];
    d[a] /= l[a][a];
  }
  return true;
}

int main(int, char** argv) {
  const std::vector<double> data = read(argv[1]), starts = read(argv[3]);
  const int n = std::atoi(argv[2]), count = std::atoi(argv[4]);
  const double *x = data.data(), *y = x + n;
  std::vector<double> ends(count);
  long evaluations = 0;
  const auto begin = std::chrono::steady_clock::now();
  for (int k = 0; k < count; ++k) {
    double p[4], scale[4] = {0}, damping = 1e-3;
    for (int a = 0; a < 4; ++a) p[a] = starts[4 * k + a];
    Sums at = sums(x, y, n, p);
    ++evaluations;
    for (int i = 0; i < 500; ++i) {
      for (int a = 0; a < 4; ++a) scale[a] = std::fmax(scale[a], at.h[a][a]);
      double d[4], q[4];
      if (!step(at, scale, damping, d)) {
        damping *= 10;
        if (damping > 1e15) break;
        continue;
      }
      for (int a = 0; a < 4; ++a) q[a] = p[a] + d[a];
      const Sums there = sums(x, y, n, q);
      ++evaluations;
      if (there.value < at.value) {
        const double fall = (at.value - there.value) / at.value;
        at = there;
        for (int a = 0; a < 4; ++a) p[a] = q[a];
        damping = std::fmax(damping * 0.1, 1e-15);
        if (fall < 1e-12) break;
      } else {
        damping *= 10;
        if (damping > 1e15) break;
      }
    }
    ends[k] = at.value;
  }
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  double best = ends[0];
  for (double v : ends) best = std::fmin(best, v);
  int reached = 0;
  for (double v : ends) reached += v < best * (1 + 1e-6);
  std::printf("%.6f %d %ld\n", seconds, reached, evaluations);
}
