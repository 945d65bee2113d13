// The contract of a solver: a state machine that takes one iteration at a time.
#pragma once
#include <Eigen/Core>
#include <string>
#include <vector>

#include "../problem/problem.h"
#include "stop_reason.h"

namespace tundrel {

// Passes over the state of a solver, field by field, to store it or to put it back.
class StateVisitor {
 public:
  virtual ~StateVisitor() = default;
  virtual void field(const char* name, double& x) = 0;
  virtual void field(const char* name, Eigen::VectorXd& x) = 0;
  virtual void field(const char* name, Eigen::MatrixXd& x) = 0;

  // Whole numbers, flags and enumerations travel as numbers.
  template <class Whole>
  void whole(const char* name, Whole& x) {
    double number = static_cast<double>(x);
    field(name, number);
    x = static_cast<Whole>(number);
  }
};

// A list of places travels as numbers, too.
inline void visit_places(StateVisitor& visitor, const char* name, std::vector<int>& places) {
  Eigen::VectorXd numbers(places.size());
  for (std::size_t k = 0; k < places.size(); ++k) numbers[k] = places[k];
  visitor.field(name, numbers);
  places.assign(numbers.data(), numbers.data() + numbers.size());
}

// Where a solver stands after an iteration.
struct Status {
  Eigen::VectorXd x;
  double value = 0;
  double gradient_norm = 0;   // scaled and projected; see Optimality
  double step_norm = 0;       // length of the last step relative to the point, both scaled
  double infeasibility = 0;   // largest violation of a condition
  double advised_rate = 0;    // of descent with a fixed rate, where it is off: what would serve; else 0
  const char* action = "";    // what the last iteration did, in the solver's own terms
  StopReason reason = StopReason::none;
};

// What a stored solver needs of its status; what the last iteration did is in the trace.
inline void visit_status(StateVisitor& visitor, Status& status) {
  visitor.field("x", status.x);
  visitor.field("value", status.value);
  visitor.field("gradient_norm", status.gradient_norm);
  visitor.field("step_norm", status.step_norm);
  visitor.field("infeasibility", status.infeasibility);
  visitor.field("advised_rate", status.advised_rate);
  visitor.whole("reason", status.reason);
}

class Solver {
 public:
  virtual ~Solver() = default;
  // Begins a walk; of an earlier one nothing is left but memory.
  virtual void start(Problem& problem, const Eigen::VectorXd& x) = 0;
  // One iteration; not called once status().reason is set.
  virtual void iterate(Problem& problem) = 0;
  virtual const Status& status() const = 0;
  // A local solver walks from its start, and its answer can be verified; others look around.
  virtual bool is_local() const { return true; }
  // TRUE where an iteration was cut short for lack of time: iterate() goes on with the same one.
  virtual bool under_way() const { return false; }
  // The points a solver holds at once, a column each: corners of a simplex, a population.
  virtual const Eigen::MatrixXd* members() const { return nullptr; }
  // The middle of the distribution that points are drawn from, and a root of its covariance beside it, in a cube of
  // side one; empty where there is none.
  virtual Eigen::MatrixXd spread() const { return {}; }
  // All that iterate() depends on, so that a stored solver goes on bit for bit.
  virtual void visit(StateVisitor& visitor) = 0;
};

}  // namespace tundrel
