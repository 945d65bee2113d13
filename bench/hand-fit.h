// What a person writes for one model only: Levenberg-Marquardt on normal equations, in one plain loop over rows.
#pragma once
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <thread>
#include <vector>

// y = a exp(-b x) + c
struct Decay {
  static constexpr int P = 3;
  static double residual(const double* p, double x, double y, double* j) {
    const double e = std::exp(-p[1] * x);
    j[0] = e;
    j[1] = -p[0] * x * e;
    j[2] = 1;
    return p[0] * e + p[2] - y;
  }
};

// Two bells on a sloping baseline: y = a + b x + h exp(-((x - m) / w)^2) + k exp(-((x - n) / v)^2)
struct Bells {
  static constexpr int P = 8;
  static double residual(const double* p, double x, double y, double* j) {
    j[0] = 1;
    j[1] = x;
    double f = p[0] + p[1] * x;
    for (int k = 2; k < 8; k += 3) {
      const double z = (x - p[k + 1]) / p[k + 2], e = std::exp(-z * z), s = 2 * p[k] * z * e / p[k + 2];
      f += p[k] * e;
      j[k] = e;
      j[k + 1] = s;
      j[k + 2] = s * z;
    }
    return f - y;
  }
};

template <int P>
struct Sums {
  double s = 0, g[P] = {}, h[P][P] = {};
};

template <class Model>
Sums<Model::P> pass(const double* x, const double* y, long n, const double* p) {
  constexpr int P = Model::P;
  Sums<P> t;
  for (long i = 0; i < n; ++i) {
    double j[P];
    const double r = Model::residual(p, x[i], y[i], j);
    t.s += r * r;
#pragma GCC unroll 8
    for (int a = 0; a < P; ++a) {
      t.g[a] += j[a] * r;
#pragma GCC unroll 8
      for (int b = 0; b <= a; ++b) t.h[a][b] += j[a] * j[b];
    }
  }
  return t;
}

// Rows in as many parts as there are threads.
template <class Model>
Sums<Model::P> pass(const double* x, const double* y, long n, const double* p, int threads) {
  if (threads == 1) return pass<Model>(x, y, n, p);
  std::vector<Sums<Model::P>> parts(threads);
  std::vector<std::thread> others;
  const auto part = [&](int t) { parts[t] = pass<Model>(x + n * t / threads, y + n * t / threads, n * (t + 1) / threads - n * t / threads, p); };
  for (int t = 1; t < threads; ++t) others.emplace_back(part, t);
  part(0);
  for (std::thread& t : others) t.join();
  for (int t = 1; t < threads; ++t) {
    parts[0].s += parts[t].s;
    for (int a = 0; a < Model::P; ++a) {
      parts[0].g[a] += parts[t].g[a];
      for (int b = 0; b <= a; ++b) parts[0].h[a][b] += parts[t].h[a][b];
    }
  }
  return parts[0];
}

// (H + damping diag H) d = -g by Cholesky; FALSE where that fails.
template <int P>
bool solve(const Sums<P>& t, double damping, double* d) {
  double l[P][P], z[P];
  for (int a = 0; a < P; ++a)
    for (int b = 0; b <= a; ++b) {
      double v = t.h[a][b] * (a == b ? 1 + damping : 1);
      for (int k = 0; k < b; ++k) v -= l[a][k] * l[b][k];
      if (a == b && !(v > 0)) return false;
      l[a][b] = a == b ? std::sqrt(v) : v / l[b][b];
    }
  for (int a = 0; a < P; ++a) {
    z[a] = -t.g[a];
    for (int k = 0; k < a; ++k) z[a] -= l[a][k] * z[k];
    z[a] /= l[a][a];
  }
  for (int a = P - 1; a >= 0; --a) {
    d[a] = z[a];
    for (int k = a + 1; k < P; ++k) d[a] -= l[k][a] * d[k];
    d[a] /= l[a][a];
  }
  return true;
}

// Fits from `p`, to the tolerance that fit_local() has by default: the cosine between residuals and tangent plane is at most 1e-10.
// Returns the sum of squares.
template <class Model>
double fit(const double* x, const double* y, long n, double* p, long& evaluations, int threads = 1) {
  constexpr int P = Model::P;
  double damping = 1e-3;
  Sums<P> at = pass<Model>(x, y, n, p, threads);
  ++evaluations;
  for (int k = 0; k < 200 && damping < 1e12; ++k) {
    double d[P], q[P], gain = 0;
    if (!solve(at, damping, d)) {
      damping *= 10;
      continue;
    }
    for (int a = 0; a < P; ++a) {
      q[a] = p[a] + d[a];
      gain -= d[a] * at.g[a];
    }
    if (gain <= 1e-20 * at.s) break;
    const Sums<P> there = pass<Model>(x, y, n, q, threads);
    ++evaluations;
    if (!(there.s <= at.s * (1 + 1e-12))) {
      damping *= 10;
      continue;
    }
    for (int a = 0; a < P; ++a) p[a] = q[a];
    at = there;
    damping *= 0.1;
  }
  return at.s;
}

// Doubles from a file.
inline std::vector<double> numbers(const char* path, std::size_t n) {
  std::vector<double> out(n);
  std::ifstream file(path, std::ios::binary);
  file.read(reinterpret_cast<char*>(out.data()), static_cast<std::streamsize>(8 * n));
  if (!file) {
    std::fprintf(stderr, "%s holds fewer than %zu numbers\n", path, n);
    std::exit(2);
  }
  return out;
}
