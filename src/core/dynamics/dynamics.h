// States that follow rates of change along time, as leaves of an expression: in each row of a table, at its time and in its experiment.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <vector>

#include "../expression/table_function.h"
#include "rate_system.h"

namespace tundrel {

class Integrator;

// What happens at a time, in all experiments or in one: states take the values of a system of their own.
struct Event {
  double time;
  int becomes;  // which of the systems
};

struct Experiment {
  std::vector<double> key;     // what its rows hold in the key columns
  double from = 0;             // where it begins
  std::vector<double> knots;   // times at which the columns of the rates are known; between them they run straight
  Eigen::MatrixXd at_knots;    // a row a knot, a column a column
  std::vector<Event> events;   // in the order of their times

  bool varies() const { return knots.size() > 1 && at_knots.cols() > 0; }
  void columns_at(double time, double* out) const;
};

class Dynamics : public TableFunction {
 public:
  // `acting`: which parameters of the whole problem are those of the systems. `time` and `keys`: columns of the table. `coarse`: to seven
  // digits, for a search. `steady`: states that begin where they come to rest, near what `begin` says.
  Dynamics(RateSystem rates, RateSystem begin, std::vector<RateSystem> changes, std::vector<int> acting, std::vector<Experiment> experiments, int time,
           std::vector<int> keys, std::vector<int> steady = {}, bool coarse = false);

  std::vector<Slope> slopes(int k) const override;
  double roundings() const override { return 100; }
  int order(int k) const override { return k < n_ ? 0 : k < n_ * (1 + q_) ? 1 : 2; }
  std::shared_ptr<const Eigen::MatrixXd> outputs(const double* parameters, const Columns& columns, int order) const override;

 private:
  // The rows of a table by experiment, in the order of their times; and what its columns of time and keys held, one after the other.
  struct Rows {
    std::vector<double> contents;
    std::vector<std::vector<std::int64_t>> of;
  };
  struct Answer {
    std::vector<double> parameters;
    std::shared_ptr<const Rows> rows;
    int order = -1;
    std::shared_ptr<const Eigen::MatrixXd> outputs;
  };

  std::shared_ptr<const Rows> sorted(const Columns& columns) const;
  void fill(const Experiment& experiment, const std::vector<std::int64_t>& rows, const double* time, const std::vector<double>& parameters, int order, Eigen::MatrixXd& out) const;
  bool follow(Integrator& integrator, const Experiment& experiment, const std::vector<std::int64_t>& rows, const double* time, const std::vector<double>& parameters, int order,
              const std::function<void(std::int64_t, const Eigen::MatrixXd&)>& put) const;
  // Where systems that have no rates lead: the values and derivatives of `system`, in which the states are those of `from`.
  Eigen::MatrixXd through(const RateSystem& system, const Experiment& experiment, double time, const Eigen::MatrixXd& from, const std::vector<double>& parameters, int order) const;

  RateSystem rates_, begin_;
  std::vector<RateSystem> changes_;
  std::vector<int> acting_;
  std::vector<Experiment> experiments_;
  int time_;
  std::vector<int> keys_;
  std::vector<int> steady_;
  bool coarse_;
  int n_, q_;
  mutable std::mutex mutex_;
  mutable std::shared_ptr<const Rows> rows_;
  mutable Answer latest_;
};

}  // namespace tundrel
