// What a solver sees of a problem.
#pragma once
#include <Eigen/Core>
#include <limits>
#include <memory>

#include "bounds.h"
#include "differences.h"
#include "evaluation.h"
#include "expansion.h"
#include "joint_conditions.h"
#include "search_box.h"

namespace tundrel {

struct Columns;
class Squares;
class Arrow;
class Kinks;
class RowSlopes;

// What is known of a criterion's form.
enum class Form { squares, smooth, kinked };

class Problem {
 public:
  virtual ~Problem() = default;
  virtual int size() const = 0;
  virtual const Bounds& bounds() const = 0;

  // The criterion; not finite where the point is to be refused.
  virtual double value(const Eigen::VectorXd& x) = 0;
  // The criterion at each column: at least the first, and as many as there is time for.
  virtual Eigen::VectorXd values(const Eigen::MatrixXd& points);
  // Where other processes evaluate: the criterion at some of the columns, at least one, while the others, which are marked, are still to come.
  Eigen::VectorXd values_so_far(const Eigen::MatrixXd& points, std::vector<bool>& to_come);
  // Counts as one evaluation where derivatives are exact.
  virtual Slope slope(const Eigen::VectorXd& x);
  // The second-order expansion; of a kinked criterion, of its smoothed form. Counts as one evaluation where derivatives are exact.
  virtual Expansion expand(const Eigen::VectorXd& x) = 0;
  // Of values that nothing but a call tells, parameters along which there is a kink at a point: slopes tell nothing of an optimum there.
  virtual std::vector<int> kinked_along(const Eigen::VectorXd&) { return {}; }
  // How large a change of the value matters; 0 where only the problem's curvature can tell.
  virtual double value_unit(const Expansion&) { return 0; }
  // What the value cannot lie below.
  virtual double least_value() { return -std::numeric_limits<double>::infinity(); }

  // Of a sum of squares, the residuals where a function of the user's gave this.
  virtual Eigen::VectorXd residuals_of(const Eigen::VectorXd& given) const { return given; }

  // What else may be asked, where the criterion is of that form; none where it is not.
  virtual Squares* squares() { return nullptr; }
  virtual Arrow* arrow() { return nullptr; }
  virtual Kinks* kinks() { return nullptr; }
  virtual RowSlopes* row_slopes() { return nullptr; }
  Form form() { return squares() ? Form::squares : kinks() ? Form::kinked : Form::smooth; }

  // A problem of its own for another thread, with no evaluations so far; none where R evaluates.
  virtual std::unique_ptr<Problem> clone() const { return nullptr; }
  // Takes these measurements in place of its own; FALSE where it has none.
  virtual bool read(const Columns&) { return false; }
  // Sets the sizes at which parameters are expected.
  virtual void expect(const Eigen::VectorXd&) {}
  // A point in all parameters, where some have been eliminated.
  virtual Eigen::VectorXd whole(const Eigen::VectorXd& x) { return x; }
  // TRUE where each evaluation is a call of a function of the user's: then all are counted, whatever they are for, and none is
  // made beyond what is allowed.
  virtual bool calls_user() const { return false; }
  // TRUE where an evaluation takes long enough to be given up in the middle: then it throws Halted.
  virtual bool halts_midway() const { return calls_user(); }
  // Asks for the most accurate derivatives from now on: the walk is nearly over.
  void refine() { refined = true; }
  // Of what kind differences are that stand for derivatives.
  Differences differences() const { return !refined ? Differences::forward : sparing ? Differences::central : Differences::fine; }

  // Conditions between parameters, or none.
  std::shared_ptr<const JointConditions> joint;
  // Where global solvers look; empty for others.
  SearchBox box;
  // TRUE where values come from outside, which is asked only for points that keep to the conditions.
  bool only_inside = false;
  bool refined = false;
  // TRUE where calls are costly: derivatives are then to take few of them.
  bool sparing = false;
  Evaluation work;

 protected:
  // After a call of a function of the user's, where it gave a value.
  void note_met(const Eigen::VectorXd& x, double value);
  template <class Kind>
  static std::unique_ptr<Problem> cloned(const Kind& problem) {
    auto out = std::make_unique<Kind>(problem);
    out->work.threads = 1;
    out->work.forget();
    return out;
  }

 private:
  Eigen::VectorXd batched(const Eigen::MatrixXd& all_points);
  // The same for points of which none is known: as they come, so that none waits for the slowest.
  Eigen::VectorXd called(const Eigen::MatrixXd& points);
  // Takes note of a call that came back with others, as column `k` of what was asked for.
  void note_call(const Eigen::VectorXd& x, double value, Eigen::Index k, Eigen::Index asked);
};

}  // namespace tundrel
