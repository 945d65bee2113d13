// Curves that vary about a common one, against closed forms, fine grids and differences.
#include <Eigen/Dense>
#include <catch2/catch.hpp>

#include "differences.h"
#include "expression/term.h"
#include "problem/varying_curves.h"

using namespace tundrel;

namespace {

constexpr int kCurves = 5;

struct Curves {
  std::vector<double> t, y;
  CurveRows rows;
  Curves() {
    rows.first.push_back(0);
    for (int k = 0; k < kCurves; ++k) {
      const int n = k == 3 ? 2 : 7;  // one with two readings
      for (int i = 0; i < n; ++i) {
        rows.order.push_back(static_cast<long>(t.size()));
        t.push_back(0.4 * i + 0.1 * k);
        y.push_back((4 + 0.6 * std::sin(2.0 * k)) * std::exp(-(0.5 + 0.1 * std::cos(3.0 * k)) * t.back()) + 0.15 * std::sin(7.0 * i + k));
      }
      rows.first.push_back(static_cast<long>(t.size()));
    }
  }
  Columns columns() const { return {{t.data(), y.data()}, static_cast<long>(t.size())}; }
};

Term half_squares(const Term& y, const Term& fitted, const Term& sd) { return 0.5 * square((y - fitted) / sd) + log(sd) + 0.5 * std::log(2 * M_PI); }

}  // namespace

TEST_CASE("where variables act linearly, the average is the normal density of the sum, whatever the nodes") {
  const Curves data;
  // a line whose height and slope vary, correlated
  for (const int nodes : {1, 5}) {
    Graph g;
    const auto p = [&](int k) { return Term{&g, g.parameter(k)}; };
    const Term t{&g, g.column(0)}, y{&g, g.column(1)};
    const Term height = p(0) + p(2) * p(6), slope = p(1) + p(3) * (p(4) * p(6) + sqrt(1.0 - square(p(4))) * p(7));
    const int loss = half_squares(y, height + slope * t, p(5)).node;
    VaryingCurves problem(std::move(g), loss, 2, nodes, data.columns(), data.rows, Bounds::none(6));
    const Eigen::VectorXd x = (Eigen::VectorXd(6) << 3.5, -0.9, 0.7, 0.3, -0.4, 0.6).finished();
    const auto dense = [&](const Eigen::VectorXd& at) {
      double sum = 0;
      for (int k = 0; k < kCurves; ++k) {
        const long from = data.rows.first[k], n = data.rows.first[k + 1] - from;
        Eigen::MatrixXd z(n, 2);
        Eigen::VectorXd r(n);
        for (long i = 0; i < n; ++i) {
          z.row(i) << 1, data.t[from + i];
          r[i] = data.y[from + i] - at[0] - at[1] * data.t[from + i];
        }
        Eigen::Matrix2d cov;
        cov << at[2] * at[2], at[2] * at[3] * at[4], at[2] * at[3] * at[4], at[3] * at[3];
        const Eigen::MatrixXd v = z * cov * z.transpose() + at[5] * at[5] * Eigen::MatrixXd::Identity(n, n);
        sum += 0.5 * (r.dot(v.lu().solve(r)) + std::log(v.determinant()) + static_cast<double>(n) * std::log(2 * M_PI));
      }
      return sum;
    };
    CHECK(problem.value(x) == Approx(dense(x)).epsilon(1e-11));
    const Slope slope_found = problem.slope(x);
    const Expansion expansion = problem.expand(x);
    for (int i = 0; i < 6; ++i) {
      const auto moved = [&](double at) {
        Eigen::VectorXd y2 = x;
        y2[i] = at;
        return y2;
      };
      CHECK(slope_found.gradient[i] == Approx(difference([&](double at) { return dense(moved(at)); }, x[i])).epsilon(1e-7).margin(1e-7));
      for (int j = 0; j < 6; ++j)
        CHECK(expansion.hessian(i, j) == Approx(difference([&](double at) { return problem.slope(moved(at)).gradient[j]; }, x[i])).epsilon(1e-6).margin(1e-5));
    }
  }
}

TEST_CASE("of a curve that is not linear, averages come to those of a fine grid, and gradients are exact with few nodes") {
  const Curves data;
  const auto problem_with = [&](int nodes) {
    Graph g;
    const auto p = [&](int k) { return Term{&g, g.parameter(k)}; };
    const Term t{&g, g.column(0)}, y{&g, g.column(1)};
    const Term height = p(0) * exp(p(2) * p(6)), rate = p(1) * exp(p(3) * (p(4) * p(6) + sqrt(1.0 - square(p(4))) * p(7)));
    const int loss = half_squares(y, height * exp(-(rate * t)), p(5)).node;
    return VaryingCurves(std::move(g), loss, 2, nodes, data.columns(), data.rows, Bounds::none(6));
  };
  const Eigen::VectorXd x = (Eigen::VectorXd(6) << 4, 0.5, 0.3, 0.4, 0.3, 0.3).finished();
  double fine = 0;
  for (int k = 0; k < kCurves; ++k) {
    double sum = 0;
    const double h = 0.02;
    for (int a = -400; a <= 400; ++a)
      for (int b = -400; b <= 400; ++b) {
        const double u = h * a, v = h * b;
        double log_density = -0.5 * (u * u + v * v) - std::log(2 * M_PI);
        const double height = x[0] * std::exp(x[2] * u), rate = x[1] * std::exp(x[3] * (x[4] * u + std::sqrt(1 - x[4] * x[4]) * v));
        for (long i = data.rows.first[k]; i < data.rows.first[k + 1]; ++i) {
          const double r = (data.y[i] - height * std::exp(-rate * data.t[i])) / x[5];
          log_density += -0.5 * r * r - std::log(x[5]) - 0.5 * std::log(2 * M_PI);
        }
        sum += std::exp(log_density) * h * h;
      }
    fine -= std::log(sum);
  }
  CHECK(problem_with(31).value(x) == Approx(fine).epsilon(1e-10));
  CHECK(problem_with(15).value(x) == Approx(fine).epsilon(1e-6));
  CHECK(problem_with(7).value(x) == Approx(fine).epsilon(1e-5));
  CHECK(problem_with(1).value(x) == Approx(fine).epsilon(1e-2));
  for (const int nodes : {1, 3}) {
    VaryingCurves problem = problem_with(nodes);
    const Slope found = problem.slope(x);
    CHECK(found.value == Approx(problem.value(x)).epsilon(1e-13));
    for (int i = 0; i < 6; ++i)
      CHECK(found.gradient[i] == Approx(difference([&](double at) {
                                    Eigen::VectorXd y = x;
                                    y[i] = at;
                                    return problem.value(y);
                                  }, x[i], 1e-3)).epsilon(1e-7).margin(1e-7));
  }
}

TEST_CASE("curves shared out over threads come to the same, and without spread each is the common one") {
  const Curves data;
  Graph g;
  const auto p = [&](int k) { return Term{&g, g.parameter(k)}; };
  const Term t{&g, g.column(0)}, y{&g, g.column(1)};
  const Term curve = p(0) * exp(-(p(1) * exp(p(2) * p(4)) * t));
  const int loss = half_squares(y, curve, p(3)).node;
  VaryingCurves problem(std::move(g), loss, 1, 5, data.columns(), data.rows, Bounds::none(4));
  const Eigen::VectorXd x = (Eigen::VectorXd(4) << 4, 0.5, 0.2, 0.3).finished();
  const Slope one = problem.slope(x);
  problem.work.threads = 3;
  const Slope three = problem.slope(x);
  CHECK(one.value == three.value);
  CHECK(one.gradient == three.gradient);
  Eigen::VectorXd none = x;
  none[2] = 0;
  double sum = 0;
  for (std::size_t i = 0; i < data.t.size(); ++i) {
    const double r = (data.y[i] - 4 * std::exp(-0.5 * data.t[i])) / 0.3;
    sum += 0.5 * r * r + std::log(0.3) + 0.5 * std::log(2 * M_PI);
  }
  CHECK(problem.value(none) == Approx(sum).epsilon(1e-12));
  const CurveModes modes = problem.modes(none);
  CHECK(modes.at.cwiseAbs().maxCoeff() == 0);
  CHECK(modes.spread(0, 0) == Approx(1));
  CHECK(problem.modes(x).value.sum() == Approx(problem.value(x)).epsilon(1e-13));
}

TEST_CASE("restricted likelihood adds the information of the common parameters, with its gradient") {
  const Curves data;
  Graph g;
  const auto p = [&](Graph& graph, int k) { return Term{&graph, graph.parameter(k)}; };
  const Term t{&g, g.column(0)}, y{&g, g.column(1)};
  const Term height = p(g, 0) + p(g, 2) * p(g, 6), slope = p(g, 1) + p(g, 3) * (p(g, 4) * p(g, 6) + sqrt(1.0 - square(p(g, 4))) * p(g, 7));
  const int loss = half_squares(y, height + slope * t, p(g, 5)).node;
  VaryingCurves problem(std::move(g), loss, 2, 1, data.columns(), data.rows, Bounds::none(6));
  const Eigen::VectorXd x = (Eigen::VectorXd(6) << 3.5, -0.9, 0.7, 0.3, -0.4, 0.6).finished();
  const double plain = problem.value(x);
  Graph noise;
  CurveSlopes slopes;
  const long n = static_cast<long>(data.t.size());
  slopes.common.resize(n, 2);
  for (long i = 0; i < n; ++i) slopes.common.row(i) << 1, data.t[i];
  slopes.own = slopes.common;
  slopes.root = {p(noise, 2).node, (p(noise, 3) * p(noise, 4)).node, (p(noise, 3) * sqrt(1.0 - square(p(noise, 4)))).node};
  slopes.log_sd = log(p(noise, 5)).node;
  problem.restrict_to(std::move(noise), slopes);
  const auto dense = [&](const Eigen::VectorXd& at) {
    Eigen::Matrix2d cov, information = Eigen::Matrix2d::Zero();
    cov << at[2] * at[2], at[2] * at[3] * at[4], at[2] * at[3] * at[4], at[3] * at[3];
    for (int k = 0; k < kCurves; ++k) {
      const long from = data.rows.first[k], rows = data.rows.first[k + 1] - from;
      const Eigen::MatrixXd z = slopes.own.middleRows(from, rows);
      const Eigen::MatrixXd v = z * cov * z.transpose() + at[5] * at[5] * Eigen::MatrixXd::Identity(rows, rows);
      information += z.transpose() * v.lu().solve(z);
    }
    return 0.5 * std::log(information.determinant());
  };
  CHECK(problem.value(x) - plain == Approx(dense(x)).epsilon(1e-10));
  const Slope found = problem.slope(x);
  CHECK(found.value == Approx(problem.value(x)).epsilon(1e-13));
  for (int i = 0; i < 6; ++i)
    CHECK(found.gradient[i] == Approx(difference([&](double at) {
                                  Eigen::VectorXd y2 = x;
                                  y2[i] = at;
                                  return problem.value(y2);
                                }, x[i])).epsilon(1e-7).margin(1e-7));
}
