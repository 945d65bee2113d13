#include "steady_state.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

constexpr int kSteadyMostSteps = 500;
constexpr double kRelative = 1e-14, kAtEndOfSteps = 1e-9;
// A matrix that is nearly singular says that others lie beside this one.
constexpr double kSingular = 1e-13;
constexpr double kLongest = 1e200;

// The rows of a matrix that belong to some states.
Eigen::MatrixXd rows_of(const Eigen::MatrixXd& all, const std::vector<int>& rows) {
  Eigen::MatrixXd out(static_cast<Eigen::Index>(rows.size()), all.cols());
  for (std::size_t i = 0; i < rows.size(); ++i) out.row(static_cast<Eigen::Index>(i)) = all.row(rows[i]);
  return out;
}

Eigen::MatrixXd columns_of(const Eigen::MatrixXd& all, const std::vector<int>& columns) { return rows_of(all.transpose(), columns).transpose(); }

// In units of the states themselves.
bool is_singular(Eigen::MatrixXd matrix, const Eigen::MatrixXd& states) {
  for (Eigen::Index i = 0; i < states.rows(); ++i) {
    const double size = states(i, 0) != 0 ? std::fabs(states(i, 0)) : 1;
    matrix.row(i) /= size;
    matrix.col(i) *= size;
  }
  const Eigen::VectorXd pivots = matrix.fullPivLu().matrixLU().diagonal().cwiseAbs();
  return !(pivots.minCoeff() > kSingular * pivots.maxCoeff());
}

}  // namespace

// Implicit steps in time that grow as the rates fall (pseudo-transient continuation): they end as Newton's method.
bool settle(const RateSystem& rates, const std::vector<int>& steady, int order, const double* parameters, double time, const std::vector<double>& columns,
            Eigen::MatrixXd& states) {
  const int n = rates.states(), q = rates.parameters();
  const Eigen::Index m = static_cast<Eigen::Index>(steady.size());
  RateSystem::Scratch scratch;
  rates.lay_out(scratch, 1);
  const int most = std::max(1, order);
  rates.start(parameters, most, scratch);
  rates.time(scratch, 0) = time;
  for (int k = 0; k < rates.columns(); ++k) rates.column(scratch, k, 0) = columns[k];
  Eigen::MatrixXd jacobian(n, n);
  Eigen::VectorXd rate(m);
  const auto evaluate = [&](int to) {
    for (int k = 0; k < n; ++k) rates.state(scratch, k, 0) = states(k, 0);
    rates.evaluate(scratch, to);
    for (Eigen::Index i = 0; i < m; ++i) rate[i] = rates.value(scratch, to, steady[i], 0);
    jacobian.setZero();
    rates.add_jacobian(scratch, to, 0, 1, jacobian);
  };
  const auto size_of = [&](Eigen::Index i) { return std::max(std::fabs(states(steady[i], 0)), std::numeric_limits<double>::min()); };
  const auto speed = [&] {
    double most_of = 0;
    for (Eigen::Index i = 0; i < m; ++i) most_of = std::max(most_of, std::fabs(rate[i]) / size_of(i));
    return most_of;
  };
  evaluate(1);
  double before = speed(), step = before > 0 ? 0.5 / before : kLongest, moved = std::numeric_limits<double>::infinity();
  for (int k = 0; k < kSteadyMostSteps && before > 0; ++k) {
    Eigen::MatrixXd matrix = -rows_of(columns_of(jacobian, steady), steady);
    matrix.diagonal().array() += 1 / step;
    const Eigen::VectorXd change = matrix.partialPivLu().solve(rate);
    if (!change.allFinite()) return false;
    const double last = moved;
    moved = 0;
    for (Eigen::Index i = 0; i < m; ++i) {
      states(steady[i], 0) += change[i];
      moved = std::max(moved, std::fabs(change[i]) / size_of(i));
    }
    evaluate(1);
    const double now = speed();
    if (!std::isfinite(now)) return false;
    if (moved <= kRelative || (moved <= kAtEndOfSteps && moved >= 0.5 * last)) break;
    if (k + 1 == kSteadyMostSteps) return false;
    step = std::min(kLongest, step * std::min(10.0, std::max(0.1, now > 0 ? 2 * before / now : 10.0)));
    before = now;
  }
  const Eigen::FullPivLU<Eigen::MatrixXd> inner(rows_of(columns_of(jacobian, steady), steady));
  if (is_singular(rows_of(columns_of(jacobian, steady), steady), rows_of(states.leftCols(1), steady))) return false;
  if (order == 0) return true;
  if (order > 1) evaluate(order);
  // what a column of derivatives misses when those of the steady states are zero
  const auto derive = [&](int first, const Eigen::MatrixXd& slopes) {
    auto block = states.middleCols(first, slopes.cols());
    for (int state : steady) block.row(state).setZero();
    const Eigen::MatrixXd solved = inner.solve(-rows_of(slopes + jacobian * block, steady));
    for (Eigen::Index i = 0; i < m; ++i) block.row(steady[i]) = solved.row(i);
  };
  Eigen::MatrixXd slopes(n, q);
  rates.parameter_slopes(scratch, most, 0, slopes);
  derive(1, slopes);
  if (order == 1) return true;
  Eigen::MatrixXd second(n, q * (q + 1) / 2);
  rates.second_slopes(scratch, 0, states.middleCols(1, q), second);
  derive(1 + q, second);
  return true;
}

}  // namespace tundrel
