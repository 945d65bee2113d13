#include "dynamics.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>

#include "integrator.h"
#include "steady_state.h"

namespace tundrel {
void Experiment::columns_at(double time, double* out) const {
  const Eigen::Index m = at_knots.cols();
  if (knots.empty()) return;
  const auto above = std::upper_bound(knots.begin(), knots.end(), time);
  const Eigen::Index k = above - knots.begin(), last = static_cast<Eigen::Index>(knots.size()) - 1;
  if (k == 0 || k > last) {
    for (Eigen::Index j = 0; j < m; ++j) out[j] = at_knots(k == 0 ? 0 : last, j);
    return;
  }
  const double share = (time - knots[k - 1]) / (knots[k] - knots[k - 1]);
  for (Eigen::Index j = 0; j < m; ++j) out[j] = at_knots(k - 1, j) + share * (at_knots(k, j) - at_knots(k - 1, j));
}

Dynamics::Dynamics(RateSystem rates, RateSystem begin, std::vector<RateSystem> changes, std::vector<int> acting, std::vector<Experiment> experiments, int time,
                   std::vector<int> keys, std::vector<int> steady, bool coarse)
    : rates_(std::move(rates)), begin_(std::move(begin)), changes_(std::move(changes)), acting_(std::move(acting)), experiments_(std::move(experiments)),
      time_(time), keys_(std::move(keys)), steady_(std::move(steady)), coarse_(coarse), n_(rates_.states()), q_(rates_.parameters()) {}

std::vector<TableFunction::Slope> Dynamics::slopes(int k) const {
  std::vector<Slope> out;
  if (order(k) == 0) {
    for (int j = 0; j < q_; ++j) out.push_back({acting_[j], n_ + k * q_ + j});
  } else if (order(k) == 1) {
    const int state = (k - n_) / q_, one = (k - n_) % q_, pairs = q_ * (q_ + 1) / 2;
    for (int j = 0; j < q_; ++j) {
      const int a = std::max(one, j), b = std::min(one, j);
      out.push_back({acting_[j], n_ * (1 + q_) + state * pairs + a * (a + 1) / 2 + b});
    }
  }
  return out;
}

std::shared_ptr<const Dynamics::Rows> Dynamics::sorted(const Columns& columns) const {
  std::vector<int> read = keys_;
  read.push_back(time_);
  std::shared_ptr<const Rows> before;
  {
    const std::lock_guard<std::mutex> lock(mutex_);
    before = rows_;
  }
  // the same memory may hold other rows by now
  const auto same = [&] {
    if (!before || before->contents.size() != read.size() * columns.rows) return false;
    for (std::size_t k = 0; k < read.size(); ++k)
      if (!std::equal(columns.data[read[k]], columns.data[read[k]] + columns.rows, before->contents.begin() + static_cast<std::ptrdiff_t>(k * columns.rows))) return false;
    return true;
  };
  if (same()) return before;
  auto out = std::make_shared<Rows>();
  for (int k : read) out->contents.insert(out->contents.end(), columns.data[k], columns.data[k] + columns.rows);
  out->of.resize(experiments_.size());
  std::map<std::vector<double>, std::size_t> place;
  for (std::size_t k = 0; k < experiments_.size(); ++k) place.emplace(experiments_[k].key, k);
  std::vector<double> key(keys_.size());
  for (std::int64_t i = 0; i < columns.rows; ++i) {
    for (std::size_t k = 0; k < keys_.size(); ++k) key[k] = columns.data[keys_[k]][i];
    const auto found = place.find(key);
    if (found != place.end() && std::isfinite(columns.data[time_][i])) out->of[found->second].push_back(i);
  }
  const double* time = columns.data[time_];
  for (std::vector<std::int64_t>& rows : out->of) std::stable_sort(rows.begin(), rows.end(), [&](std::int64_t a, std::int64_t b) { return time[a] < time[b]; });
  const std::lock_guard<std::mutex> lock(mutex_);
  return rows_ = out;
}

std::shared_ptr<const Eigen::MatrixXd> Dynamics::outputs(const double* parameters, const Columns& columns, int order) const {
  std::vector<double> own;
  for (int k : acting_) own.push_back(parameters[k]);
  const std::shared_ptr<const Rows> rows = sorted(columns);
  {
    const std::lock_guard<std::mutex> lock(mutex_);
    if (latest_.order >= order && latest_.rows == rows && latest_.parameters == own) return latest_.outputs;
  }
  auto out = std::make_shared<Eigen::MatrixXd>(columns.rows, n_ * Integrator::columns(q_, order));
  out->setConstant(std::numeric_limits<double>::quiet_NaN());
  for (std::size_t k = 0; k < experiments_.size(); ++k)
    if (!rows->of[k].empty()) fill(experiments_[k], rows->of[k], columns.data[time_], own, order, *out);
  const std::lock_guard<std::mutex> lock(mutex_);
  latest_ = {own, rows, order, out};
  return out;
}

Eigen::MatrixXd Dynamics::through(const RateSystem& system, const Experiment& experiment, double time, const Eigen::MatrixXd& from, const std::vector<double>& parameters,
                                  int order) const {
  RateSystem::Scratch scratch;
  system.lay_out(scratch, 1);
  system.start(parameters.data(), order, scratch);
  system.time(scratch, 0) = time;
  std::vector<double> columns(std::max(1, system.columns()));
  experiment.columns_at(time, columns.data());
  for (int k = 0; k < system.columns(); ++k) system.column(scratch, k, 0) = columns[k];
  for (int k = 0; k < n_; ++k) system.state(scratch, k, 0) = from(k, 0);
  system.evaluate(scratch, order);
  Eigen::MatrixXd out(n_, Integrator::columns(q_, order));
  for (int i = 0; i < n_; ++i) out(i, 0) = system.value(scratch, order, i, 0);
  if (order == 0) return out;
  Eigen::MatrixXd jacobian = Eigen::MatrixXd::Zero(n_, n_);
  system.add_jacobian(scratch, order, 0, 1, jacobian);
  system.parameter_slopes(scratch, order, 0, out.middleCols(1, q_));
  out.middleCols(1, q_) += jacobian * from.middleCols(1, q_);
  if (order == 1) return out;
  const int pairs = q_ * (q_ + 1) / 2;
  system.second_slopes(scratch, 0, from.middleCols(1, q_), out.middleCols(1 + q_, pairs));
  out.middleCols(1 + q_, pairs) += jacobian * from.middleCols(1 + q_, pairs);
  return out;
}

// Along the whole course; calls put(row, states) for each row in the order of their times, where there is one to call. FALSE where the
// states cannot be followed to the end.
bool Dynamics::follow(Integrator& integrator, const Experiment& experiment, const std::vector<std::int64_t>& rows, const double* time, const std::vector<double>& parameters,
                      int order, const std::function<void(std::int64_t, const Eigen::MatrixXd&)>& put) const {
  const Integrator::ColumnsAt columns_at = [&](double at, double* into) { experiment.columns_at(at, into); };
  std::size_t next = 0;
  while (next < rows.size() && time[rows[next]] < experiment.from) ++next;
  std::size_t event = 0, knot = 0;
  const double last = time[rows.back()];
  Eigen::MatrixXd there;
  for (;;) {
    // what happens now has happened to the readings of this time
    for (; event < experiment.events.size() && experiment.events[event].time <= integrator.time(); ++event)
      integrator.jump(through(changes_[experiment.events[event].becomes], experiment, integrator.time(), integrator.states(), parameters, order));
    for (; next < rows.size() && time[rows[next]] <= integrator.time(); ++next) put(rows[next], integrator.states());
    if (next >= rows.size()) return true;
    double until = last;
    if (event < experiment.events.size()) until = std::min(until, experiment.events[event].time);
    if (experiment.varies()) {
      while (knot < experiment.knots.size() && experiment.knots[knot] <= integrator.time()) ++knot;
      if (knot < experiment.knots.size()) until = std::min(until, experiment.knots[knot]);
    }
    const Integrator::End end = integrator.go_to(until, columns_at, [&](double reached) {
      // readings at the time of an event wait for it
      for (; next < rows.size() && (time[rows[next]] < reached || (time[rows[next]] == reached && reached < until)); ++next) {
        integrator.at(time[rows[next]], there);
        put(rows[next], there);
      }
    });
    if (end != Integrator::End::arrived) return false;
  }
}

void Dynamics::fill(const Experiment& experiment, const std::vector<std::int64_t>& rows, const double* time, const std::vector<double>& parameters, int order,
                    Eigen::MatrixXd& out) const {
  const int pairs = q_ * (q_ + 1) / 2;
  const auto put = [&](std::int64_t row, const Eigen::MatrixXd& states) {
    for (int k = 0; k < n_; ++k) {
      out(row, k) = states(k, 0);
      if (order > 0)
        for (int j = 0; j < q_; ++j) out(row, n_ + k * q_ + j) = states(k, 1 + j);
      if (order > 1)
        for (int j = 0; j < pairs; ++j) out(row, n_ * (1 + q_) + k * pairs + j) = states(k, 1 + q_ + j);
    }
  };
  const auto beginning = [&](int wanted) {
    const Eigen::MatrixXd nothing = Eigen::MatrixXd::Zero(n_, Integrator::columns(q_, wanted));
    Eigen::MatrixXd states = through(begin_, experiment, experiment.from, nothing, parameters, wanted);
    std::vector<double> columns(std::max(1, rates_.columns()));
    experiment.columns_at(experiment.from, columns.data());
    if (!steady_.empty() && !settle(rates_, steady_, wanted, parameters.data(), experiment.from, columns, states)) states.setConstant(std::numeric_limits<double>::quiet_NaN());
    return states;
  };
  // A state that rises from nothing is judged by what it becomes: that is found first.
  Integrator ahead(rates_, 0, parameters.data(), Integrator::Care::rough);
  ahead.begin(experiment.from, beginning(0), Eigen::VectorXd::Zero(n_));
  const bool arrives = follow(ahead, experiment, rows, time, parameters, 0, [](std::int64_t, const Eigen::MatrixXd&) {});
  Integrator integrator(rates_, order, parameters.data(), coarse_ ? Integrator::Care::coarse : Integrator::Care::fine);
  integrator.begin(experiment.from, beginning(order), arrives ? ahead.largest() : Eigen::VectorXd(Eigen::VectorXd::Zero(n_)));
  follow(integrator, experiment, rows, time, parameters, order, put);
}

}  // namespace tundrel
