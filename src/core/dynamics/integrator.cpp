#include "integrator.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <limits>

#include "stage_solver.h"

namespace tundrel {
namespace {

constexpr double tolerance_of(Integrator::Care care) { return care == Integrator::Care::fine ? 1e-14 : care == Integrator::Care::coarse ? 1e-7 : 1e-2; }
// What counts of a state at the least: relative to the largest that it is anywhere.
constexpr double kStillLarge = 1e-3;
// A state that rises like a high power of time is no better followed by shorter steps: where roughly is enough, none is tried after these.
constexpr int kPatience = 3;
// Attempts one after the other without a step: each is shorter by a factor of two at the least.
constexpr int kMostInVain = 150;
constexpr int kIntegrationMostSteps = 10000, kMostIterations = 12, kMostMatrices = 4;
// Of Newton's iterations, in units of the tolerance.
constexpr double kSolved = 1e-2, kNearlySolved = 0.3;
constexpr double kSlow = 0.1, kWorthLonger = 1.2;
// For how many states it pays to take the equations of the stages apart, for how short a step against the largest slope sweeps alone
// solve them, and how many.
constexpr int kFewStates = 5, kMostSweeps = 40;
constexpr double kGentle = 1;
// Farther ahead the polynomial of the last step says nothing.
constexpr double kFarthestAhead = 2.5;

}  // namespace

struct Integrator::Memory {
  RateSystem::Scratch scratch;
  Eigen::MatrixXd matrix, start_matrix, values, missing, right, own, sums;
  std::vector<Eigen::MatrixXd> slopes;  // times the step
  Eigen::PartialPivLU<Eigen::MatrixXd> solver, slope_solver, start_solver;
  double factored_step = 0;             // for which `solver` was last made
  StageSolver stage_solver;
};

Integrator::Integrator(const RateSystem& rates, int order, const double* parameters, Care care)
    : rates_(rates), n_(rates.states()), parameters_(rates.parameters()), order_(order), tolerance_(tolerance_of(care)), rough_(care == Care::rough), memory_(std::make_unique<Memory>()) {
  rates_.lay_out(memory_->scratch, kStages + 1);
  rates_.start(parameters, std::max(1, order), memory_->scratch);
  trial_.resize(n_, kStages);
  memory_->values.resize(n_, kStages + 1);
}

Integrator::~Integrator() = default;

void Integrator::begin(double time, const Eigen::MatrixXd& states, const Eigen::VectorXd& largest) {
  time_ = time;
  step_ = 0;
  largest_ = largest;
  jump(states);
}

void Integrator::jump(const Eigen::MatrixXd& states) {
  now_ = states;
  largest_ = largest_.cwiseMax(now_.col(0).cwiseAbs());
  on_course_ = false;
  memory_->factored_step = 0;
}

double Integrator::weight(int state) const {
  const double most = std::max({std::fabs(now_(state, 0)), trial_.row(state).cwiseAbs().maxCoeff(), kStillLarge * largest_[state]});
  return std::max(tolerance_ * most, std::numeric_limits<double>::min());
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
    for (int b = 0; b < n; ++b)
      for (int i = 0; i < kStages; ++i)
        for (int a = 0; a < n; ++a) matrix(i * n + a, j * n + b) += radau.integral(i, j) * slope(a, b);
  }
}

bool Integrator::solve_stages(double step, const ColumnsAt& columns_at) {
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
  Memory& memory = *memory_;
  rates_.evaluate(memory.scratch, 1);
  memory.start_matrix.setZero(n_, n_);
  rates_.add_jacobian(memory.scratch, 1, 0, 1, memory.start_matrix);
  way_ = n_ < kFewStates ? Way::newton : step * memory.start_matrix.cwiseAbs().rowwise().sum().maxCoeff() < kGentle ? Way::sweeps : Way::parts;
  if (way_ == Way::sweeps && !improve_stages(step)) way_ = Way::parts;
  if (way_ == Way::parts) {
    Eigen::MatrixXd slope = Eigen::MatrixXd::Zero(n_, n_);
    rates_.add_jacobian(memory.scratch, 1, kStages / 2 + 1, step, slope);
    memory.stage_solver.factor(slope);
    if (!improve_stages(step)) way_ = Way::newton;
  }
  if (way_ == Way::newton && !iterate_stages(step)) return false;
  memory.start_matrix *= -step * collocation().defect_share;
  memory.start_matrix.diagonal().array() += 1;
  return true;
}

// Adds `times` the integrals of rates up to each stage: both n numbers a stage, one stage after the other.
static void take_integrals(const double* rates, double times, double* into, Eigen::Index n) {
  using ByStage = Eigen::Matrix<double, Eigen::Dynamic, kStages>;
  const Collocation::Matrix share = times * collocation().integral.transpose();
  Eigen::Map<ByStage>(into, n, kStages) += Eigen::Map<const ByStage>(rates, n, kStages).lazyProduct(share);
}

// What the states at the stages miss of the equations, a column a stage; FALSE where a rate is not finite.
bool Integrator::misses(double step, int order) {
  Memory& m = *memory_;
  double all = 0;
  for (int i = 0; i < n_; ++i)
    for (int row = 0; row <= kStages; ++row) all += m.values(i, row) = rates_.value(m.scratch, order, i, row);
  if (!std::isfinite(all) && !m.values.allFinite()) return false;
  m.missing.resize(n_, kStages);
  for (int j = 0; j < kStages; ++j) m.missing.col(j) = trial_.col(j) - now_.col(0);
  take_integrals(m.values.data() + n_, -step, m.missing.data(), n_);
  return true;
}

// The largest change of a state at a stage, in units of its weight.
double Integrator::change_stages(const Eigen::MatrixXd& change) {
  trial_ -= change;
  double size = 0;
  for (int state = 0; state < n_; ++state) size = std::max(size, change.row(state).cwiseAbs().maxCoeff() / weight(state));
  return size;
}

void Integrator::evaluate_stages(int order) {
  RateSystem::Scratch& s = memory_->scratch;
  for (int i = 0; i < kStages; ++i)
    for (int state = 0; state < n_; ++state) rates_.state(s, state, i + 1) = trial_(state, i);
  rates_.evaluate(s, order);
}

bool Integrator::improve_stages(double step) {
  const Eigen::MatrixXd begun = trial_;
  Eigen::MatrixXd change;
  bool last = false;
  double before = std::numeric_limits<double>::infinity();
  for (int k = 0; k < kMostSweeps; ++k) {
    if (k > 0) evaluate_stages(0);
    if (!misses(step, k > 0 ? 0 : 1)) break;
    change = memory_->missing;
    if (way_ == Way::parts) {
      change.resize(n_ * kStages, 1);
      memory_->stage_solver.solve(change);
      change.resize(n_, kStages);
    }
    const double size = change_stages(change);
    if (last) return true;
    // what is left of a fast state moves those that it drives by much more: once again
    last = size <= kSolved || (size <= kNearlySolved && size > 0.5 * before);
    if (last && way_ == Way::sweeps) return true;
    if (last) continue;
    if (!std::isfinite(size) || (k > 3 && size > 0.8 * before)) break;
    before = size;
  }
  trial_ = begun;
  evaluate_stages(1);
  return false;
}

bool Integrator::iterate_stages(double step) {
  Memory& m = *memory_;
  double before = 0;
  // the matrix of the last step serves as long as its length stays
  bool fresh = m.factored_step != step, last = false;
  int matrices = 0;
  for (int k = 0; k < kMostIterations; ++k) {
    const int order = k == 0 || fresh ? 1 : 0;
    if (k > 0) evaluate_stages(order);
    if (!misses(step, order)) return false;
    if (fresh) {
      put_matrix(rates_, m.scratch, 1, step, m.matrix);
      if (!m.matrix.allFinite()) return false;
      m.solver.compute(m.matrix);
      m.factored_step = step;
      ++matrices;
      fresh = false;
    }
    const Eigen::VectorXd solved = m.solver.solve(Eigen::Map<const Eigen::VectorXd>(m.missing.data(), m.missing.size()));
    if (!solved.allFinite()) return false;
    const double size = change_stages(Eigen::Map<const Eigen::MatrixXd>(solved.data(), n_, kStages));
    if (last) return true;
    last = size <= kSolved || (k > 0 && size > 0.5 * before && size <= kNearlySolved);
    if (last) continue;
    if (k > 0 && size > 0.5 * before) {
      // a matrix that is no longer right
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
  // In stiff systems that says little of the polynomial between its places: its coefficients fall off there as they do further on.
  const Eigen::VectorXd last = radau.highest[0] * now_.col(0) + trial_ * radau.highest.tail(kStages), before = trial_ * radau.second_highest;
  for (int state = 0; state < n_; ++state) {
    const double next = std::fabs(last[state]) * std::min(1.0, std::fabs(last[state] / before[state]));
    if (last[state] != 0) size = std::max(size, radau.product * next / weight(state));
  }
  if (!std::isfinite(size)) return Attempt::failed;
  factor = size > 0 ? std::min(4.0, std::max(0.2, 0.9 * std::pow(size, -1.0 / (kStages + 1)))) : 4.0;
  // a step that would be hardly longer is not worth another matrix
  if (factor >= 1 && factor < kWorthLonger) factor = 1;
  return size <= 1 ? Attempt::good : Attempt::too_long;
}

// Solves for `count` derivatives from the right-hand sides that are there, as the states were solved for.
bool Integrator::improve_derivatives(int first, int count) {
  Memory& m = *memory_;
  Eigen::MatrixXd at(n_ * kStages, count), change, part(n_, count);
  for (int i = 0; i < kStages; ++i) at.middleRows(i * n_, n_) = now_.middleCols(first, count);
  double before = std::numeric_limits<double>::infinity();
  for (int k = 0; k < kMostSweeps; ++k) {
    change = m.right - at;
    for (int j = 0; j < kStages; ++j) {
      part.noalias() = m.slopes[j] * at.middleRows(j * n_, n_);
      for (int i = 0; i < kStages; ++i) change.middleRows(i * n_, n_) += collocation().integral(i, j) * part;
    }
    if (way_ == Way::parts) m.stage_solver.solve(change);
    at += change;
    const double size = change.cwiseAbs().maxCoeff(), least = 2 * std::numeric_limits<double>::epsilon() * at.cwiseAbs().maxCoeff();
    if (size <= least || (size <= 50 * least && size > 0.5 * before)) {
      stages_.middleCols(first, count) = at;
      return true;
    }
    if (!std::isfinite(size) || (k > 3 && size > 0.8 * before)) return false;
    before = size;
  }
  return false;
}

void Integrator::differentiate(double step) {
  Memory& m = *memory_;
  RateSystem::Scratch& s = m.scratch;
  evaluate_stages(order_);
  // that of the values is left alone, which must not depend on whether derivatives are asked for; it serves where the matrix never changes
  const Eigen::PartialPivLU<Eigen::MatrixXd>* solver = &m.solver;
  const auto put_solver = [&] {
    way_ = Way::newton;
    put_matrix(rates_, s, order_, step, m.matrix);
    m.slope_solver.compute(m.matrix);
    solver = &m.slope_solver;
  };
  if (way_ != Way::newton) {
    m.slopes.assign(kStages, Eigen::MatrixXd::Zero(n_, n_));
    for (int j = 0; j < kStages; ++j) rates_.add_jacobian(s, order_, j + 1, step, m.slopes[j]);
  } else if (!rates_.constant_slopes()) {
    put_solver();
  }
  // Each derivative satisfies the same equations, with slopes of its own on the right.
  const auto solve = [&](int first, int count, const auto& slopes) {
    // all columns of a stage in one, so that integrals of all are taken at once
    const Eigen::Index all = static_cast<Eigen::Index>(n_) * count;
    m.own.resize(all, kStages);
    m.sums.resize(all, kStages);
    for (int j = 0; j < kStages; ++j) {
      Eigen::Map<Eigen::MatrixXd> one(m.own.col(j).data(), n_, count);
      slopes(j, one);
      Eigen::Map<Eigen::MatrixXd>(m.sums.col(j).data(), n_, count) = now_.middleCols(first, count);
    }
    take_integrals(m.own.data(), step, m.sums.data(), all);
    m.right.resize(n_ * kStages, count);
    for (int i = 0; i < kStages; ++i) m.right.middleRows(i * n_, n_) = Eigen::Map<const Eigen::MatrixXd>(m.sums.col(i).data(), n_, count);
    if (way_ != Way::newton && improve_derivatives(first, count)) return;
    if (way_ != Way::newton) put_solver();
    stages_.middleCols(first, count) = solver->solve(m.right);
  };
  if (parameters_ > 0) solve(1, parameters_, [&](int j, auto& out) { rates_.parameter_slopes(s, order_, j + 1, out); });
  if (order_ > 1 && parameters_ > 0)
    solve(1 + parameters_, parameters_ * (parameters_ + 1) / 2,
          [&](int j, auto& out) { rates_.second_slopes(s, j + 1, stages_.block(j * n_, 1, n_, parameters_), out); });
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
    if (++steps > kIntegrationMostSteps) return End::too_many_steps;
    if (result == Attempt::failed || (result == Attempt::too_long && !(rough_ && in_vain >= kPatience))) {
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
  out.resize(n_, before_.cols());
  for (Eigen::Index k = 0; k < out.cols(); ++k) {
    const double* stage = stages_.data() + k * stages_.rows();
    for (int i = 0; i < n_; ++i) {
      double sum = w[0] * before_(i, k);
      for (int j = 0; j < kStages; ++j) sum += w[j + 1] * stage[j * n_ + i];
      out(i, k) = sum;
    }
  }
}

}  // namespace tundrel
