// The contract of a solver: a state machine that takes one iteration at a time.
#pragma once
#include <Eigen/Core>
#include <cmath>
#include <string>
#include <vector>

#include "../numbers.h"
#include "../problem/problem.h"
#include "../verification/stop_reason.h"

namespace tundrel {

// Passes over the state of a solver, field by field, to store it or to put it back. Each field comes with the size and the range
// that iterate() relies on: what is put back may come from a file, and is refused where it does not keep to them.
class StateVisitor {
 public:
  // What a count may come to.
  static constexpr double kMost = 9007199254740992.0;
  static constexpr double kRounding = 1e-9;
  static constexpr Eigen::Index kAny = Eigen::Dynamic;

  virtual ~StateVisitor() = default;
  // Parameters of the problem that is solved; kAny where sizes need no check.
  virtual Eigen::Index parameters() const { return kAny; }
  // The same for conditions between parameters.
  virtual Eigen::Index conditions() const { return kAny; }
  // What a value cannot lie below; sums of squares are not negative.
  virtual double least_value() const { return -kInfinity; }

  virtual void field(const char* name, double& x) = 0;
  virtual void field(const char* name, Eigen::VectorXd& x, Eigen::Index size) = 0;
  virtual void field(const char* name, Eigen::MatrixXd& x, Eigen::Index rows, Eigen::Index columns) = 0;
  // Refuses what is put back where `holds` is FALSE.
  virtual void require(bool, const char*) {}

  void finite(const char* name, Eigen::VectorXd& x, Eigen::Index size) {
    field(name, x, size);
    require(x.allFinite(), name);
  }
  void finite(const char* name, Eigen::MatrixXd& x, Eigen::Index rows, Eigen::Index columns) {
    field(name, x, rows, columns);
    require(x.allFinite(), name);
  }
  // Not a number is in no range.
  void within(const char* name, double& x, double least, double most) {
    field(name, x);
    require(x >= least && x <= most, name);
  }
  template <class Matrix>
  void require_within(const char* name, const Matrix& x, double least, double most) {
    require((x.array() >= least && x.array() <= most).all(), name);
  }
  void within(const char* name, Eigen::VectorXd& x, Eigen::Index size, double least, double most) {
    field(name, x, size);
    require_within(name, x, least, most);
  }

  // Whole numbers, flags and enumerations travel as numbers.
  template <class Whole>
  void whole(const char* name, Whole& x, double least = 0, double most = kMost) {
    double number = static_cast<double>(x);
    field(name, number);
    require(number >= least && number <= most && number == std::floor(number), name);
    x = static_cast<Whole>(number);
  }
  // Of places in a cube of side one, whose sides are met but for rounding.
  template <class Matrix>
  void require_in_cube(const char* name, const Matrix& x) {
    require_within(name, x, -kRounding, 1 + kRounding);
  }
  void flag(const char* name, bool& x) { whole(name, x, 0, 1); }
  void small(const char* name, int& x) { whole(name, x, 0, 1e9); }
};

// A list of places among `n`, from the first on, travels as numbers, too.
inline void visit_places(StateVisitor& visitor, const char* name, std::vector<int>& places, Eigen::Index n) {
  Eigen::VectorXd numbers(places.size());
  for (std::size_t k = 0; k < places.size(); ++k) numbers[k] = places[k];
  visitor.field(name, numbers, StateVisitor::kAny);
  for (Eigen::Index k = 0; k < numbers.size(); ++k)
    visitor.require(numbers[k] == std::floor(numbers[k]) && numbers[k] >= (k > 0 ? numbers[k - 1] + 1 : 0) && numbers[k] < static_cast<double>(n), name);
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

inline void visit_reason(StateVisitor& visitor, const char* name, StopReason& reason) {
  visitor.whole(name, reason, 0, static_cast<double>(StopReason::failed));
}

// What a stored solver needs of its status; what the last iteration did is in the trace.
inline void visit_status(StateVisitor& visitor, Status& status) {
  visitor.within("x", status.x, visitor.parameters(), -kInfinity, kInfinity);
  visitor.field("value", status.value);
  visitor.require(status.value >= visitor.least_value(), "value");
  visitor.field("gradient_norm", status.gradient_norm);
  visitor.field("step_norm", status.step_norm);
  visitor.field("infeasibility", status.infeasibility);
  visitor.field("advised_rate", status.advised_rate);
  visit_reason(visitor, "reason", status.reason);
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
  // TRUE where it is made for calls that are costly: then the check of its answer takes few, too.
  virtual bool is_sparing() const { return false; }
  // TRUE where values are noisy, and the answer is the point that is expected to be best and not the luckiest call.
  virtual bool expects_best() const { return false; }
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
