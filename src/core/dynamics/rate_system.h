// A vector of expressions of states, time, columns and parameters - rates of change, or what states become at an event -, with its
// derivatives in states and parameters.
#pragma once
#include <Eigen/Core>
#include <memory>
#include <mutex>
#include <vector>

#include "../expression/program.h"

namespace tundrel {

class RateSystem {
 public:
  // Buffers of one user.
  struct Scratch {
    Program::Workspace space[3];
    std::vector<double> memory;  // columns of the rows that are evaluated: time, the others, then states
    Columns rows;
  };

  RateSystem() = default;
  // In `graph` the first `states` parameters are the states, and `parameters` others follow; column 0 is the time, and `columns` others
  // follow.
  RateSystem(const Graph& graph, const std::vector<int>& values, int states, int parameters, int columns);

  int size() const { return static_cast<int>(values_.size()); }
  int states() const { return states_; }
  int parameters() const { return parameters_; }
  int columns() const { return columns_; }
  // TRUE where derivatives in the states depend on parameters alone: neither on states nor on the time nor on columns.
  bool constant_slopes() const { return constant_slopes_; }

  // Makes room for n rows.
  void lay_out(Scratch& scratch, int n) const;
  double& time(Scratch& scratch, int row) const { return at(scratch, 0, row); }
  double& column(Scratch& scratch, int k, int row) const { return at(scratch, 1 + k, row); }
  double& state(Scratch& scratch, int k, int row) const { return at(scratch, 1 + columns_ + k, row); }

  // Order 0: the values; 1: derivatives as well; 2: second ones, too. Parameters are set with start(), once for all that follows up to
  // this order.
  void start(const double* parameters, int order, Scratch& scratch) const;
  void evaluate(Scratch& scratch, int order) const;
  double value(const Scratch& scratch, int order, int i, int row) const { return scratch.space[order].output(i)[row]; }
  // Adds the derivatives in the states of one row to a matrix, times `factor`.
  template <class Matrix>
  void add_jacobian(const Scratch& scratch, int order, int row, double factor, Matrix&& into) const {
    for (const First& one : in_states_) into(one.value, one.by) += factor * scratch.space[order].output(one.output)[row];
  }
  // Derivatives in the parameters: values in rows, parameters in columns.
  template <class Matrix>
  void parameter_slopes(const Scratch& scratch, int order, int row, Matrix&& into) const {
    into.setZero();
    for (const First& one : in_parameters_) into(one.value, one.by) = scratch.space[order].output(one.output)[row];
  }
  // The second derivatives of the values along the parameters, without the part that comes through the second derivatives of the
  // states: `slopes` holds the first derivatives of the states, a column a parameter. Pairs (0,0), (1,0), (1,1), ... in columns.
  template <class Slopes, class Matrix>
  void second_slopes(const Scratch& scratch, int row, const Slopes& slopes, Matrix&& into) const {
    into.setZero();
    const auto along = [&](int a, int j) { return a < states_ ? slopes(a, j) : a - states_ == j ? 1.0 : 0.0; };
    for (const Second& one : second_->list) {
      const double h = scratch.space[2].output(one.output)[row];
      if (h == 0) continue;
      for (int j = 0, pair = 0; j < parameters_; ++j)
        for (int l = 0; l <= j; ++l, ++pair) {
          double part = along(one.a, j) * along(one.b, l);
          if (one.a != one.b) part += along(one.b, j) * along(one.a, l);
          into(one.value, pair) += h * part;
        }
    }
  }

 private:
  struct First {
    int value, by, output;
  };
  struct Second {
    int value, a, b, output;
  };
  // Made when first asked for: there are many.
  struct SecondDerivatives {
    std::once_flag made;
    Program program;
    std::vector<Second> list;
  };

  const Program& program(int order) const;

  static double& at(Scratch& scratch, int column, int row) { return scratch.memory[static_cast<std::size_t>(column) * scratch.rows.rows + row]; }

  int states_ = 0, parameters_ = 0, columns_ = 0;
  Graph graph_;
  std::vector<int> values_;
  std::vector<std::vector<int>> first_;  // nodes of the derivatives of each value
  Program programs_[2];
  std::vector<First> in_states_, in_parameters_;
  std::shared_ptr<SecondDerivatives> second_;
  bool constant_slopes_ = true;
};

}  // namespace tundrel
