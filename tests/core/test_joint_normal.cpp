// Normal readings that depend on each other, against dense algebra.
#include <Eigen/Dense>
#include <catch2/catch.hpp>

#include "differences.h"
#include "expression/term.h"
#include "problem/joint_normal.h"

using namespace tundrel;

namespace {

constexpr int kRows = 23;

struct JointTable {
  std::vector<double> time, reading, block;
  Sequence sequence;
  Eigen::MatrixXd slopes;
  JointTable() {
    // three blocks whose rows are mixed, at irregular steps
    for (int i = 0; i < kRows; ++i) {
      block.push_back(i % 3);
      time.push_back(0.3 * i + 0.2 * std::sin(5.0 * i));
      reading.push_back(4 * std::exp(-0.3 * time[i]) + 0.3 * std::sin(1.0 + 2.3 * i) + 0.1 * std::cos(0.4 * i));
    }
    for (int b = 0; b < 3; ++b) {
      std::vector<long> mine;
      for (int i = 0; i < kRows; ++i)
        if (block[i] == b) mine.push_back(i);
      std::sort(mine.begin(), mine.end(), [&](long i, long j) { return time[i] < time[j]; });
      for (std::size_t k = 0; k < mine.size(); ++k) {
        sequence.order.push_back(mine[k]);
        sequence.distance.push_back(k == 0 ? Sequence::kBegins : time[mine[k]] - time[mine[k - 1]]);
      }
    }
    slopes.resize(kRows, 2);
    for (int i = 0; i < kRows; ++i) slopes.row(i) << std::exp(-0.28 * time[i]), -4.1 * time[i] * std::exp(-0.28 * time[i]);
  }
  Columns columns() const { return {{time.data(), reading.data()}, kRows}; }
};

// Parameters: height, rate, range, nugget (or share), then the standard deviation's constant and share of the curve.
JointNormal problem_of(const JointTable& table, bool common, bool restricted, bool scaled) {
  Graph g;
  const Term t{&g, g.column(0)}, y{&g, g.column(1)};
  const auto p = [&](int k) { return Term{&g, g.parameter(k)}; };
  const Term curve = p(0) * exp(-(p(1) * t));
  const Term sd = p(4) + p(5) * curve, sd_there = p(4) + p(5) * (4.1 * exp(-(0.28 * t)));
  JointNormalNodes nodes;
  nodes.residual = scaled ? (y - curve).node : ((y - curve) / sd).node;
  if (!scaled) nodes.log_sd = log(sd).node;
  if (!scaled && restricted) nodes.restricted_sd = log(sd_there).node;
  if (!common) nodes.range = p(2).node;
  nodes.nugget = common ? (1.0 - p(3)).node : p(3).node;
  Sequence sequence = table.sequence;
  if (common)
    for (double& distance : sequence.distance)
      if (distance != Sequence::kBegins) distance = 0;
  return JointNormal(std::move(g), nodes, table.columns(), sequence, restricted ? table.slopes : Eigen::MatrixXd(kRows, 0), scaled, Bounds::none(6));
}

double dense(const JointTable& table, const Eigen::VectorXd& x, bool common, bool restricted, bool scaled) {
  Eigen::MatrixXd correlation(kRows, kRows);
  Eigen::VectorXd residual(kRows), sd(kRows), sd_there(kRows);
  for (int i = 0; i < kRows; ++i) {
    const double curve = x[0] * std::exp(-x[1] * table.time[i]);
    residual[i] = table.reading[i] - curve;
    sd[i] = scaled ? 1 : x[4] + x[5] * curve;
    sd_there[i] = scaled ? 1 : x[4] + x[5] * 4.1 * std::exp(-0.28 * table.time[i]);
    for (int j = 0; j < kRows; ++j) {
      const bool together = table.block[i] == table.block[j];
      const double away = std::fabs(table.time[i] - table.time[j]);
      correlation(i, j) = i == j ? 1 : !together ? 0 : common ? x[3] : (1 - x[3]) * std::exp(-away / x[2]);
    }
  }
  const Eigen::MatrixXd covariance = sd.asDiagonal() * correlation * sd.asDiagonal();
  const Eigen::MatrixXd there = sd_there.asDiagonal() * correlation * sd_there.asDiagonal();
  double log_det = std::log(covariance.determinant());
  const double squares = residual.dot(covariance.lu().solve(residual));
  int n = kRows;
  if (restricted) {
    n -= 2;
    log_det += std::log((table.slopes.transpose() * there.lu().solve(table.slopes)).determinant());
  }
  return scaled ? squares * std::exp(log_det / n) : 0.5 * (squares + log_det + n * std::log(2 * M_PI));
}

}  // namespace

TEST_CASE("readings that depend on each other have the density of the dense normal distribution, with derivatives") {
  const JointTable table;
  const Eigen::VectorXd x = (Eigen::VectorXd(6) << 3.8, 0.31, 1.4, 0.25, 0.2, 0.05).finished();
  for (const bool common : {false, true})
    for (const bool restricted : {false, true})
      for (const bool scaled : {false, true}) {
        INFO(common << restricted << scaled);
        JointNormal problem = problem_of(table, common, restricted, scaled);
        CHECK(problem.value(x) == Approx(dense(table, x, common, restricted, scaled)).epsilon(1e-11));
        const Slope slope = problem.slope(x);
        const Expansion expansion = problem.expand(x);
        CHECK(slope.value == Approx(problem.value(x)).epsilon(1e-14));
        CHECK((slope.gradient - expansion.gradient).cwiseAbs().maxCoeff() < 1e-10);
        for (int i = 0; i < 6; ++i) {
          const auto moved = [&](double at) {
            Eigen::VectorXd y = x;
            y[i] = at;
            return y;
          };
          CHECK(slope.gradient[i] == Approx(difference([&](double at) { return dense(table, moved(at), common, restricted, scaled); }, x[i])).epsilon(1e-7).margin(1e-7));
          for (int j = 0; j <= i; ++j)
            CHECK(expansion.hessian(i, j) == Approx(difference([&](double at) { return problem.slope(moved(at)).gradient[j]; }, x[i])).epsilon(1e-7).margin(1e-6));
        }
      }
}

TEST_CASE("innovations are independent, and make up the value") {
  const JointTable table;
  const Eigen::VectorXd x = (Eigen::VectorXd(6) << 3.8, 0.31, 1.4, 0.25, 0.2, 0.05).finished();
  JointNormal problem = problem_of(table, false, false, false);
  const Eigen::MatrixXd found = problem.innovations(x);
  // the first of a block is the residual itself
  const long first = table.sequence.order[0];
  const double curve = 3.8 * std::exp(-0.31 * table.time[first]), sd = 0.2 + 0.05 * curve;
  CHECK(found(first, 0) == Approx((table.reading[first] - curve) / sd));
  CHECK(found(first, 1) == Approx(-std::exp(-0.31 * table.time[first]) / sd - (table.reading[first] - curve) / (sd * sd) * 0.05 * std::exp(-0.31 * table.time[first])));
  JointNormal scaled = problem_of(table, false, false, true);
  const Eigen::MatrixXd plain = scaled.innovations(x);
  const double spread = scaled.value(x) / plain.col(0).squaredNorm();
  // the determinant of the correlations does not depend on the curve
  Eigen::VectorXd other = x;
  other[0] = 5;
  CHECK(scaled.value(other) / scaled.innovations(other).col(0).squaredNorm() == Approx(spread).epsilon(1e-12));
}

TEST_CASE("a range or a nugget that cannot be is refused") {
  const JointTable table;
  JointNormal problem = problem_of(table, false, false, true);
  Eigen::VectorXd x = (Eigen::VectorXd(6) << 3.8, 0.31, -1.4, 0.25, 0.2, 0.05).finished();
  CHECK(std::isnan(problem.value(x)));
  x[2] = 1;
  x[3] = 1.2;
  CHECK(std::isnan(problem.value(x)));
  x[3] = 0;
  CHECK(std::isfinite(problem.value(x)));
}
