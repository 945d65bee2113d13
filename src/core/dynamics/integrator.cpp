#include "integrator.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

// Far below what noise could show: relative to what a state is in the step, or to a thousandth of what it has been.
constexpr double kTolerance = 1e-14, kStillLarge = 1e-3;
// Attempts one after the other without a step: each is shorter by a factor of two at the least.
constexpr int kMostInVain = 150;
constexpr int kMostSteps = 50000, kMostIterations = 12, kMostMatrices = 4;
// Of Newton's iterations, in units of the tolerance.
constexpr double kSolved = 1e-2, kNearlySolved = 0.3;
constexpr double kSlow = 0.1;
// Farther ahead the polynomial of the last step says nothing.
constexpr double kFarthestAhead = 2.5;

}  // namespace

struct Integrator::Memory {
  RateSystem::Scratch scratch;
  Eigen::MatrixXd matrix, start_matrix, values, right;
  Eigen::PartialPivLU<Eigen::MatrixXd> solver, start_solver;
};

Integrator::Integrator(const RateSystem& rates, int order, const double* parameters)
    : rates_(rates), n_(rates.states()), parameters_(rates.parameters()), order_(order), memory_(std::make_unique<Memory>()) {
  rates_.lay_out(memory_->scratch, kStages + 1);
  rates_.start(parameters, memory_->scratch);
  trial_.resize(n_, kStages);
  memory_->values.resize(n_, kStages + 1);
}

Integrator::~Integrator() = default;

void Integrator::begin(double time, const Eigen::MatrixXd& states) {
  time_ = time;
  step_ = 0;
  largest_ = Eigen::VectorXd::Zero(n_);
  jump(states);
}

void Integrator::jump(const Eigen::MatrixXd& states) {
  now_ = states;
  largest_ = largest_.cwiseMax(now_.col(0).cwiseAbs());
  on_course_ = false;
}

double Integrator::weight(int state) const {
  const double most = std::max({std::fabs(now_(state, 0)), trial_.row(state).cwiseAbs().maxCoeff(), kStillLarge * largest_[state]});
  return std::max(kTolerance * most, std::numeric_limits<double>::min());
}

void Integrator::put_rows(double step, const ColumnsAt& columns_at) {
  RateSystem::Scratch& s = memory_->scratch;
  std::vector<double> columns(rates_.columns());
  for (int row = 0; row <= kStages; ++row) {
    const double time = row == 0 ? time_ : time_ + step * collocation().place[row - 1];
    rates_.time(s, row) = time;
    if (!columns.empty()) columns_at(time, columns.data());
    for (int k = 0; k < rates_.columns(); ++k) rates_.column(s, k, row) = columns[k];
    for (int k = 0; k < n_; ++k) rates_.state(s, k, row) = row == 0 ? now_(k, 0) : trial_(k, row - 1);
  }
}

// The matrix of Newton's iterations at the stages, from derivatives at these.
static void put_matrix(const RateSystem& rates, const RateSystem::Scratch& scratch, int order, double step, Eigen::MatrixXd& matrix) {
  const int n = rates.states(), all = n * kStages;
  const Collocation& radau = collocation();
  matrix.setIdentity(all, all);
  Eigen::MatrixXd slope(n, n);
  for (int j = 0; j < kStages; ++j) {
    slope.setZero();
    rates.add_jacobian(scratch, order, j + 1, -step, slope);
    for (int i = 0; i < kStages; ++i) matrix.block(i * n, j * n, n, n) += radau.integral(i, j) * slope;
  }
}

bool Integrator::solve_stages(double step, const ColumnsAt& columns_at) {
  Memory& m = *memory_;
  RateSystem::Scratch& s = m.scratch;
  const Collocation& radau = collocation();
  const double ahead = last_step_ > 0 ? step / last_step_ : 0;
  if (on_course_ && ahead <= kFarthestAhead) {
    for (int i = 0; i < kStages; ++i) {
      const Weights w = radau.weights_at(1 + ahead * radau.place[i]);
      trial_.col(i) = w[0] * before_.col(0);
      for (int j = 0; j < kStages; ++j) trial_.col(i) += w[j + 1] * stages_.block(j * n_, 0, n_, 1);
    }
  } else {
    for (int i = 0; i < kStages; ++i) trial_.col(i) = now_.col(0);
  }
  put_rows(step, columns_at);
  double before = 0;
  bool fresh = true;
  int matrices = 0;
  for (int k = 0; k < kMostIterations; ++k) {
    for (int i = 0; i < kStages; ++i)
      for (int state = 0; state < n_; ++state) rates_.state(s, state, i + 1) = trial_(state, i);
    const int order = fresh ? 1 : 0;
    rates_.evaluate(s, order);
    for (int row = 0; row <= kStages; ++row)
      for (int i = 0; i < n_; ++i) m.values(i, row) = rates_.value(s, order, i, row);
    if (!m.values.allFinite()) return false;
    if (fresh) {
      put_matrix(rates_, s, 1, step, m.matrix);
      if (!m.matrix.allFinite()) return false;
      m.solver.compute(m.matrix);
      if (matrices++ == 0) {
        m.start_matrix.setIdentity(n_, n_);
        rates_.add_jacobian(s, 1, 0, -step * radau.defect_share, m.start_matrix);
      }
      fresh = false;
    }
    m.right.resize(n_ * kStages, 1);
    for (int i = 0; i < kStages; ++i) {
      Eigen::VectorXd miss = trial_.col(i) - now_.col(0);
      for (int j = 0; j < kStages; ++j) miss -= step * radau.integral(i, j) * m.values.col(j + 1);
      m.right.block(i * n_, 0, n_, 1) = miss;
    }
    const Eigen::VectorXd change = m.solver.solve(m.right.col(0));
    if (!change.allFinite()) return false;
    double size = 0;
    for (int i = 0; i < kStages; ++i) trial_.col(i) -= change.segment(i * n_, n_);
    for (int state = 0; state < n_; ++state) {
      double most = 0;
      for (int i = 0; i < kStages; ++i) most = std::max(most, std::fabs(change[i * n_ + state]));
      size = std::max(size, most / weight(state));
    }
    if (size <= kSolved) return true;
    if (k > 0 && size > 0.5 * before) {
      // rounding, or a matrix that is no longer right
      if (size <= kNearlySolved) return true;
      if (matrices >= kMostMatrices && size > 2 * before) return false;
    }
    fresh = k > 0 && size > kSlow * before && matrices < kMostMatrices;
    before = size;
  }
  return false;
}

Integrator::Attempt Integrator::attempt(double step, const ColumnsAt& columns_at, double& factor) {
  factor = 0.25;
  if (!solve_stages(step, columns_at)) return Attempt::failed;
  Memory& m = *memory_;
  const Collocation& radau = collocation();
  // how far the polynomial's slope at the beginning is from the rates there
  Eigen::VectorXd defect = radau.slope_at_start[0] * now_.col(0);
  for (int i = 0; i < kStages; ++i) defect += radau.slope_at_start[i + 1] * trial_.col(i);
  defect -= step * m.values.col(0);
  m.start_solver.compute(m.start_matrix);
  const Eigen::VectorXd error = m.start_solver.solve(radau.defect_share * defect);
  double size = 0;
  for (int state = 0; state < n_; ++state) size = std::max(size, std::fabs(error[state]) / weight(state));
  if (!std::isfinite(size)) return Attempt::failed;
  factor = size > 0 ? std::min(4.0, std::max(0.2, 0.9 * std::pow(size, -1.0 / (kStages + 1)))) : 4.0;
  return size <= 1 ? Attempt::good : Attempt::too_long;
}

void Integrator::differentiate(double step) {
  Memory& m = *memory_;
  RateSystem::Scratch& s = m.scratch;
  const Collocation& radau = collocation();
  for (int i = 0; i < kStages; ++i)
    for (int state = 0; state < n_; ++state) rates_.state(s, state, i + 1) = trial_(state, i);
  rates_.evaluate(s, order_);
  put_matrix(rates_, s, order_, step, m.matrix);
  m.solver.compute(m.matrix);
  // Each derivative satisfies the same equations, with slopes of its own on the right.
  const auto solve = [&](int first, int count, const std::function<void(int, Eigen::MatrixXd&)>& slopes) {
    m.right.resize(n_ * kStages, count);
    for (int i = 0; i < kStages; ++i) m.right.middleRows(i * n_, n_) = now_.middleCols(first, count);
    Eigen::MatrixXd one(n_, count);
    for (int j = 0; j < kStages; ++j) {
      slopes(j, one);
      for (int i = 0; i < kStages; ++i) m.right.middleRows(i * n_, n_) += step * radau.integral(i, j) * one;
    }
    stages_.middleCols(first, count) = m.solver.solve(m.right);
  };
  if (parameters_ > 0) solve(1, parameters_, [&](int j, Eigen::MatrixXd& out) { rates_.parameter_slopes(s, order_, j + 1, out); });
  if (order_ > 1 && parameters_ > 0)
    solve(1 + parameters_, parameters_ * (parameters_ + 1) / 2,
          [&](int j, Eigen::MatrixXd& out) { rates_.second_slopes(s, j + 1, stages_.block(j * n_, 1, n_, parameters_), out); });
}

double Integrator::first_step(double span, const ColumnsAt& columns_at) {
  for (int i = 0; i < kStages; ++i) trial_.col(i) = now_.col(0);
  put_rows(0, columns_at);
  rates_.evaluate(memory_->scratch, 0);
  double step = span;
  for (int i = 0; i < n_; ++i) {
    const double rate = std::fabs(rates_.value(memory_->scratch, 0, i, 0)), size = std::fabs(now_(i, 0));
    if (rate > 0 && size > 0) step = std::min(step, 0.2 * size / rate);
  }
  return step;
}

Integrator::End Integrator::go_to(double end, const ColumnsAt& columns_at, const std::function<void(double)>& reached) {
  int steps = 0, in_vain = 0;
  while (time_ < end) {
    const double span = end - time_;
    if (step_ <= 0) step_ = first_step(span, columns_at);
    const bool last = 1.01 * step_ >= span;
    const double step = last ? span : step_;
    double factor;
    const Attempt result = attempt(step, columns_at, factor);
    if (++steps > kMostSteps) return End::too_many_steps;
    if (result != Attempt::good) {
      step_ = step * factor;
      if (++in_vain > kMostInVain || time_ + step_ == time_) return End::not_finite;
      continue;
    }
    in_vain = 0;
    stages_.resize(n_ * kStages, now_.cols());
    for (int i = 0; i < kStages; ++i) stages_.block(i * n_, 0, n_, 1) = trial_.col(i);
    if (order_ > 0) differentiate(step);
    if (!stages_.allFinite()) return End::not_finite;
    for (int k = 0; k < n_; ++k) largest_[k] = std::max(largest_[k], trial_.row(k).cwiseAbs().maxCoeff());
    before_ = now_;
    from_ = time_;
    now_ = stages_.middleRows((kStages - 1) * n_, n_);
    time_ = last ? end : time_ + step;
    last_step_ = step;
    on_course_ = true;
    // a step that was cut short says little of the next
    step_ = last ? std::max(step_, step * factor) : step * factor;
    reached(time_);
  }
  return End::arrived;
}

void Integrator::at(double time, Eigen::MatrixXd& out) const {
  const Weights w = collocation().weights_at((time - from_) / last_step_);
  out = w[0] * before_;
  for (int j = 0; j < kStages; ++j) out += w[j + 1] * stages_.middleRows(j * n_, n_);
}

}  // namespace tundrel
