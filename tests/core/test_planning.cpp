#include <catch2/catch.hpp>
#include <cmath>

#include "planning/exchange.h"
#include "planning/share_out.h"

using namespace tundrel;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Eigen::VectorXi;

namespace {

// A parabola read at places from -1 to 1.
Candidates parabola(int n) {
  Candidates out;
  out.rows.resize(n, 3);
  for (int k = 0; k <= n; ++k) out.begin.push_back(k);
  for (int k = 0; k < n; ++k) {
    const double x = -1 + 2.0 * k / (n - 1);
    out.rows.row(k) << 1, x, x * x;
  }
  return out;
}

Aim aim_of(Aim::Kind kind, const Candidates& candidates, const MatrixXd& wanted, double ridge = 0) {
  const Eigen::Index p = candidates.rows.cols();
  return {kind, candidates, MatrixXd::Identity(p, p) * ridge, wanted, 1, 0};
}

// Three rows to a candidate, and something known before.
Aim in_threes(Aim::Kind kind) {
  srand(7);
  Candidates candidates;
  candidates.rows = MatrixXd::Random(15, 3);
  candidates.begin = {0, 3, 6, 9, 12, 15};
  const MatrixXd before = MatrixXd::Random(4, 3);
  const Eigen::Index wanted = kind == Aim::Kind::discrepancy ? 0 : 2;
  return {kind, candidates, before.transpose() * before, MatrixXd::Random(3, wanted), 1, 0};
}

}  // namespace

TEST_CASE("what a reading more is worth agrees with differences") {
  for (const auto kind : {Aim::Kind::volume, Aim::Kind::error, Aim::Kind::discrepancy}) {
    const Aim aim = in_threes(kind);
    const VectorXd amounts = (VectorXd(5) << 1, 0.5, 2, 0, 0.3).finished();
    const Standing at = standing(aim, amounts, true);
    CHECK(at.value == Approx(worth(aim, information(aim, amounts))));
    const double h = 1e-5;
    for (Eigen::Index k = 0; k < 5; ++k) {
      VectorXd up = amounts, down = amounts;
      up[k] += h;
      down[k] -= h;
      const Standing above = standing(aim, up, false), below = standing(aim, down, false);
      CHECK(at.slope[k] == Approx((above.value - below.value) / (2 * h)).epsilon(1e-6));
      for (Eigen::Index j = 0; j < 5; ++j) CHECK(at.bend(j, k) == Approx((above.slope[j] - below.slope[j]) / (2 * h)).epsilon(1e-5).margin(1e-7));
    }
  }
}

TEST_CASE("a parabola: thirds for the volume, a quarter and a half for the average and for the curve's bend") {
  const Candidates candidates = parabola(201);
  const VectorXd one = VectorXd::Ones(201);
  const auto check = [&](const Aims& aims, double end, double middle) {
    const Shares found = share_out(aims, one, 1);
    CHECK(found.gap < 1e-8);
    CHECK(found.amounts[0] == Approx(end).epsilon(1e-6));
    CHECK(found.amounts[100] == Approx(middle).epsilon(1e-6));
    CHECK(found.amounts[200] == Approx(end).epsilon(1e-6));
  };
  check({{aim_of(Aim::Kind::volume, candidates, MatrixXd::Identity(3, 3))}}, 1.0 / 3, 1.0 / 3);
  check({{aim_of(Aim::Kind::error, candidates, MatrixXd::Identity(3, 3))}}, 0.25, 0.5);
  // the worst of three: the bend, whose error is the largest
  Aims worst;
  for (int k = 0; k < 3; ++k) {
    Aim one_of = aim_of(Aim::Kind::error, candidates, MatrixXd::Identity(3, 3).col(k));
    one_of.group = k;
    worst.each.push_back(one_of);
  }
  check(worst, 0.25, 0.5);
  // what the slope at 0 needs: both ends alone, which leave the bend open
  const Shares slope = share_out({{aim_of(Aim::Kind::error, candidates, VectorXd::Unit(3, 1), 1e-10)}}, one, 1);
  CHECK(slope.amounts[0] == Approx(0.5).epsilon(1e-6));
  CHECK(slope.amounts[100] == 0);
  CHECK(slope.value == Approx(0).margin(1e-8));
}

TEST_CASE("costs weigh: a place that costs four times as much gets a quarter of the readings for its share") {
  Candidates candidates;
  candidates.rows = MatrixXd::Identity(2, 2);
  candidates.begin = {0, 1, 2};
  const VectorXd costs = (VectorXd(2) << 1, 4).finished();
  const Shares found = share_out({{aim_of(Aim::Kind::volume, candidates, MatrixXd::Identity(2, 2))}}, costs, 8);
  CHECK(found.amounts[0] == Approx(4).epsilon(1e-6));
  CHECK(found.amounts[1] == Approx(1).epsilon(1e-6));
}

TEST_CASE("whole readings keep to the budget and to the most at a place") {
  const Candidates candidates = parabola(21);
  const Aims aims{{aim_of(Aim::Kind::volume, candidates, MatrixXd::Identity(3, 3))}};
  const VectorXd one = VectorXd::Ones(21);
  const WholeReadings free = exchanged(aims, one, 9, VectorXi::Constant(21, 100), VectorXd::Zero(21), 5, 1);
  CHECK(free.readings[0] == 3);
  CHECK(free.readings[10] == 3);
  CHECK(free.readings[20] == 3);
  const WholeReadings once = exchanged(aims, one, 9, VectorXi::Ones(21), VectorXd::Zero(21), 5, 1);
  CHECK(once.readings.sum() == 9);
  CHECK(once.readings.maxCoeff() == 1);
  CHECK(once.value < free.value);
}
