// The hand-written yardstick for models by rates of change: the system and its variational equations written out, integrated by Boost's odeint, and
// the fit of hand-fit.h.
//
//   rates-loop fit METHOD               a <-> b -> c ->, 200 readings from standard input (times, then readings); METHOD is radau (the package's own
//                                       method and tolerance, written for these three states), dopri5 or fehlberg78; prints seconds a fit,
//                                       evaluations, the sum of squares
//   rates-loop stiff TOLERANCE          a chain whose rates are 1e6 apart, with sensitivities, by a Rosenbrock method: prints seconds, and the
//                                       largest relative error of a value and of a derivative
#include <boost/numeric/odeint.hpp>
#include <boost/numeric/ublas/matrix.hpp>
#include <boost/numeric/ublas/vector.hpp>
#include <array>
#include <chrono>
#include <cstring>
#include <iostream>

#include <Eigen/Dense>

#include "../src/core/dynamics/collocation.h"
#include "hand-fit.h"

namespace odeint = boost::numeric::odeint;

// Three states, each with its derivatives in k1, k2, k3, k4 and a0.
struct Rates {
  static constexpr int P = 5, N = 3 * (1 + P);
  using State = std::array<double, N>;
  double k1, k2, k3, k4;
  void operator()(const State& y, State& d, double) const {
    for (int j = 0; j <= P; ++j) {
      const double a = y[3 * j], b = y[3 * j + 1], c = y[3 * j + 2];
      d[3 * j] = -k1 * a + k2 * b;
      d[3 * j + 1] = k1 * a - (k2 + k3) * b;
      d[3 * j + 2] = k3 * b - k4 * c;
    }
    const double a = y[0], b = y[1], c = y[2];
    d[3] -= a;
    d[4] += a;
    d[6] += b;
    d[7] -= b;
    d[10] -= b;
    d[11] += b;
    d[14] -= c;
  }
};

enum class Method { radau, dopri5, fehlberg78 };
static Method method = Method::radau;

// Radau's collocation of seven stages at a tolerance of 1e-14: values by Newton's method, derivatives by the same factors.
template <class Add>
void by_radau(const double* p, const double* x, long n, const Add& add) {
  using tundrel::kStages;
  constexpr int N = 3, All = N * kStages;
  using Matrix = Eigen::Matrix<double, All, All>;
  const tundrel::Collocation& radau = tundrel::collocation();
  const double k1 = p[0], k2 = p[1], k3 = p[2], k4 = p[3];
  Eigen::Matrix3d slope;
  slope << -k1, k2, 0, k1, -(k2 + k3), 0, 0, k3, -k4;
  Eigen::Matrix<double, N, 6> now = Eigen::Matrix<double, N, 6>::Zero(), seen;
  now(0, 0) = p[4];
  now(0, 5) = 1;
  Eigen::Matrix<double, All, 6> stages, before_stages = stages.Zero(), right;
  Eigen::Matrix<double, N, 6> before = now;
  Eigen::Vector3d largest = now.col(0).cwiseAbs();
  double time = 0, step = 0.04, last_step = 0;
  long next = 0;
  const double end = x[n - 1];
  while (next < n) {
    const double h = std::min(step, end - time);
    // the polynomial of the last step, followed further
    for (int i = 0; i < kStages; ++i) {
      if (last_step > 0 && h <= 2.5 * last_step) {
        const auto w = radau.weights_at(1 + h / last_step * radau.place[i]);
        stages.template block<N, 1>(i * N, 0) = w[0] * before.col(0);
        for (int j = 0; j < kStages; ++j) stages.template block<N, 1>(i * N, 0) += w[j + 1] * before_stages.template block<N, 1>(j * N, 0);
      } else {
        stages.template block<N, 1>(i * N, 0) = now.col(0);
      }
    }
    Matrix m = Matrix::Identity();
    for (int i = 0; i < kStages; ++i)
      for (int j = 0; j < kStages; ++j) m.template block<N, N>(i * N, j * N) -= h * radau.integral(i, j) * slope;
    const Eigen::PartialPivLU<Matrix> solver(m);
    Eigen::Vector3d most = now.col(0).cwiseAbs();
    for (int turn = 0; turn < 12; ++turn) {
      Eigen::Matrix<double, All, 1> missing;
      for (int i = 0; i < kStages; ++i) {
        missing.template segment<N>(i * N) = stages.template block<N, 1>(i * N, 0) - now.col(0);
        for (int j = 0; j < kStages; ++j) missing.template segment<N>(i * N) -= h * radau.integral(i, j) * (slope * stages.template block<N, 1>(j * N, 0));
      }
      const Eigen::Matrix<double, All, 1> change = solver.solve(missing);
      stages.col(0) -= change;
      double size = 0;
      for (int i = 0; i < All; ++i) size = std::max(size, std::fabs(change[i]) / (1e-14 * std::max({most[i % N], 1e-3 * largest[i % N], 1e-300})));
      if (size <= 0.3) break;
    }
    for (int i = 0; i < kStages; ++i) most = most.cwiseMax(stages.template block<N, 1>(i * N, 0).cwiseAbs());
    Eigen::Vector3d defect = radau.slope_at_start[0] * now.col(0);
    for (int i = 0; i < kStages; ++i) defect += radau.slope_at_start[i + 1] * stages.template block<N, 1>(i * N, 0);
    defect -= h * (slope * now.col(0));
    const Eigen::Vector3d error = (Eigen::Matrix3d::Identity() - h * radau.defect_share * slope).partialPivLu().solve(radau.defect_share * defect);
    double size = 0;
    for (int i = 0; i < N; ++i) size = std::max(size, std::fabs(error[i]) / (1e-14 * std::max({most[i], 1e-3 * largest[i], 1e-300})));
    const double factor = size > 0 ? std::min(4.0, std::max(0.2, 0.9 * std::pow(size, -1.0 / (kStages + 1)))) : 4.0;
    if (size > 1) {
      step = h * factor;
      continue;
    }
    for (int i = 0; i < kStages; ++i) right.template middleRows<N>(i * N) = now;
    for (int j = 0; j < kStages; ++j) {
      const double a = stages(j * N, 0), b = stages(j * N + 1, 0), c = stages(j * N + 2, 0);
      Eigen::Matrix<double, N, 5> own = Eigen::Matrix<double, N, 5>::Zero();
      own(0, 0) = -a;
      own(1, 0) = a;
      own(0, 1) = b;
      own(1, 1) = -b;
      own(1, 2) = -b;
      own(2, 2) = b;
      own(2, 3) = -c;
      for (int i = 0; i < kStages; ++i) right.template block<N, 5>(i * N, 1) += h * radau.integral(i, j) * own;
    }
    stages.template rightCols<5>() = solver.solve(right.template rightCols<5>().eval());
    before = now;
    before_stages = stages;
    now = stages.template bottomRows<N>();
    largest = largest.cwiseMax(most);
    const double from = time;
    time += h;
    last_step = h;
    step = h * factor;
    for (; next < n && (x[next] <= time || time >= end); ++next) {
      const auto w = radau.weights_at((x[next] - from) / h);
      seen = w[0] * before;
      for (int j = 0; j < kStages; ++j) seen += w[j + 1] * stages.template middleRows<N>(j * N);
      add(seen.data());
    }
  }
}

template <>
Sums<5> pass<Rates>(const double* x, const double* y, long n, const double* p) {
  Sums<5> t;
  Rates::State state{};
  state[0] = p[4];
  state[15] = 1;
  const Rates rates{p[0], p[1], p[2], p[3]};
  long i = 0;
  const auto take = [&](const double* s) {
    const double r = s[2] - y[i];
    t.s += r * r;
    for (int a = 0; a < 5; ++a) {
      const double ja = s[3 * (a + 1) + 2];
      t.g[a] += ja * r;
      for (int b = 0; b <= a; ++b) t.h[a][b] += ja * s[3 * (b + 1) + 2];
    }
    ++i;
  };
  if (method == Method::radau) {
    by_radau(p, x, n, take);
    return t;
  }
  std::vector<double> times(1, 0.0);
  times.insert(times.end(), x, x + n);
  const auto skip_first = [&, first = true](const Rates::State& s, double at) mutable {
    if (!first) take(s.data());
    first = false;
    (void)at;
  };
  if (method == Method::dopri5)
    odeint::integrate_times(odeint::make_dense_output(1e-13, 1e-13, odeint::runge_kutta_dopri5<Rates::State>()), rates, state, times.begin(), times.end(), 0.01, skip_first);
  else
    odeint::integrate_times(odeint::make_controlled(1e-13, 1e-13, odeint::runge_kutta_fehlberg78<Rates::State>()), rates, state, times.begin(), times.end(), 0.01, skip_first);
  return t;
}

static int fit_rates(const char* name) {
  method = std::strcmp(name, "dopri5") == 0 ? Method::dopri5 : std::strcmp(name, "radau") == 0 ? Method::radau : Method::fehlberg78;
  std::vector<double> x(200), y(200);
  for (double& v : x) std::cin >> v;
  for (double& v : y) std::cin >> v;
  const double start[5] = {1.3, 0.24, 0.6, 0.18, 5.5};
  int fits = 0;
  long evaluations = 0;
  double s = 0, seconds = 0;
  const auto began = std::chrono::steady_clock::now();
  do {
    double p[5];
    std::copy(start, start + 5, p);
    evaluations = 0;
    s = fit<Rates>(x.data(), y.data(), 200, p, evaluations);
    ++fits;
    seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  } while (seconds < 1);
  std::printf("%.9f %ld %.17g\n", seconds / fits, evaluations, s);
  return 0;
}

// a' = -a, b' = a - k b with k = 1e6, and both derivatives in k: the matrix that is factored is that of all of them together.
using Vector = boost::numeric::ublas::vector<double>;
using Matrix = boost::numeric::ublas::matrix<double>;
constexpr double kFast = 1e6;

static int stiff(double tolerance) {
  const auto system = [](const Vector& y, Vector& d, double) {
    d[0] = -y[0];
    d[1] = y[0] - kFast * y[1];
    d[2] = -kFast * y[2] - y[1];
  };
  const auto slopes = [](const Vector&, Matrix& j, const double&, Vector& t) {
    j = boost::numeric::ublas::zero_matrix<double>(3, 3);
    j(0, 0) = -1;
    j(1, 0) = 1;
    j(1, 1) = -kFast;
    j(2, 1) = -1;
    j(2, 2) = -kFast;
    t = boost::numeric::ublas::zero_vector<double>(3);
  };
  double worst = 0, worst_slope = 0;
  int solved = 0;
  const auto began = std::chrono::steady_clock::now();
  double seconds = 0;
  do {
    Vector y(3, 0);
    y[0] = 1;
    std::vector<double> times(1, 0.0);
    for (int i = 1; i <= 200; ++i) times.push_back(0.05 * i);
    odeint::integrate_times(odeint::make_dense_output(tolerance * 1e-6, tolerance, odeint::rosenbrock4<double>()), std::make_pair(system, slopes), y, times.begin(), times.end(), 1e-9,
                            [&](const Vector& s, double t) {
                              if (t == 0) return;
                              const double e = std::exp(-t), b = e / (kFast - 1), slope = -e / ((kFast - 1) * (kFast - 1));
                              worst = std::max(worst, std::fabs(s[1] / b - 1));
                              worst_slope = std::max(worst_slope, std::fabs(s[2] / slope - 1));
                            });
    ++solved;
    seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  } while (seconds < 1);
  std::printf("%.9f %.3g %.3g\n", seconds / solved, worst, worst_slope);
  return 0;
}

int main(int argc, char** argv) {
  if (argc == 3 && std::strcmp(argv[1], "fit") == 0) return fit_rates(argv[2]);
  if (argc == 3 && std::strcmp(argv[1], "stiff") == 0) return stiff(std::atof(argv[2]));
  return 2;
}
