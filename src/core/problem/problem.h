// What a solver sees of a problem.
#pragma once
#include <Eigen/Core>
#include <chrono>
#include <functional>
#include <limits>
#include <memory>
#include <vector>

#include "bounds.h"
#include "joint_conditions.h"
#include "search_box.h"

namespace tundrel {

struct Columns;

// Residuals and their Jacobian at a point, reduced by an orthogonal transformation to a triangle:
// |J p + r|^2 = |factor p + projected|^2 + remainder^2 for every step p.
struct Linearisation {
  // Of a sum of squares and the triangle of the Jacobian with the residuals as its last column.
  void set(double value, const Eigen::MatrixXd& triangle);

  bool usable = false;  // FALSE where the model is not finite: the point is refused
  double value = std::numeric_limits<double>::infinity();
  Eigen::MatrixXd factor;
  Eigen::VectorXd projected;
  double remainder = 0;

  double residual_norm() const { return std::sqrt(value); }
  // Of the Jacobian's columns.
  void column_norms(Eigen::VectorXd& norms) const;
  // Half the slope of the value.
  void slope(Eigen::VectorXd& slope) const;
  // By how much a step would lower the value if the residuals were linear.
  double promised(const Eigen::VectorXd& step) const;
};

// Value and gradient at a point.
struct Slope {
  bool usable = false;
  double value = std::numeric_limits<double>::infinity();
  Eigen::VectorXd gradient;
};

// Value, gradient and matrix of second derivatives at a point.
struct Expansion {
  bool usable = false;
  double value = std::numeric_limits<double>::infinity();
  Eigen::VectorXd gradient;
  Eigen::MatrixXd hessian;
  // Rounding error of the derivatives, where they come from differences; empty where they are exact.
  Eigen::VectorXd gradient_noise;
  Eigen::MatrixXd hessian_noise;
};

// Kinks at a point: terms of the sum that are absolute values and nearly zero here. Kinks that are
// the same, value and gradient, are one with a count.
struct Kink {
  double value;
  Eigen::VectorXd gradient;
  Eigen::MatrixXd hessian;
  double count;
};

// A sum of smooth terms and absolute values, with those near zero set apart.
struct KinkedExpansion {
  bool usable = false;
  Expansion rest;            // all but the kinks near zero
  Eigen::VectorXd effort;    // for each parameter, the sum of its slope's absolute values over all rows
  std::vector<Kink> kinks;
  double rows = 1;
};

struct KinkSizes {
  double mean = 0;      // of the kinked terms
  double rounding = 0;  // below this a kinked term is zero but for rounding
};

// What is known of a criterion's form.
enum class Form { squares, smooth, kinked };

class Problem {
 public:
  virtual ~Problem() = default;
  virtual int size() const = 0;
  virtual const Bounds& bounds() const = 0;
  virtual Form form() const { return Form::squares; }

  // The criterion; not finite where the point is to be refused.
  virtual double value(const Eigen::VectorXd& x) = 0;
  // The criterion at each column: at least the first, and as many as there is time for.
  virtual Eigen::VectorXd values(const Eigen::MatrixXd& points);
  // A problem of its own for another thread, with no evaluations so far; none where R evaluates.
  virtual std::unique_ptr<Problem> clone() const { return nullptr; }
  // Takes these measurements in place of its own; FALSE where it has none.
  virtual bool read(const Columns&) { return false; }
  // Sets the sizes at which parameters are expected.
  virtual void expect(const Eigen::VectorXd&) {}
  // A point in all parameters, where some have been eliminated.
  virtual Eigen::VectorXd whole(const Eigen::VectorXd& x) { return x; }
  // Counts as one evaluation where derivatives are exact.
  virtual Slope slope(const Eigen::VectorXd& x);
  // For sums of squares. Counts as one evaluation.
  Linearisation linearise(const Eigen::VectorXd& x) {
    Linearisation at;
    linearise_into(x, at);
    return at;
  }
  // The same in the memory of another one.
  virtual void linearise_into(const Eigen::VectorXd&, Linearisation& at) { at = Linearisation(); }
  // Sum of residual times second derivatives of the residual; FALSE where it cannot be had.
  virtual bool residual_curvature(const Eigen::VectorXd&, Eigen::MatrixXd&) { return false; }
  // The same for verification, where a function of the user's is worth the evaluations, with the rounding error of each
  // entry (empty where derivatives are exact).
  virtual bool verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) {
    noise.resize(0, 0);
    return residual_curvature(x, curvature);
  }
  // Rounding error of the length of the Jacobian's column, where it comes from differences.
  virtual double column_noise(const Eigen::VectorXd&, int) { return 0; }
  // J' times the second derivative of the residuals along a direction; FALSE where it cannot be had.
  // Counts as one evaluation.
  virtual bool bend_along(const Eigen::VectorXd&, const Eigen::VectorXd&, Eigen::VectorXd&) { return false; }
  // Norm of the weighted response: what the residuals are measured against.
  virtual double response_norm() { return 0; }

  // The second-order expansion; of a kinked criterion, of its smoothed form. Counts as one evaluation.
  virtual Expansion expand(const Eigen::VectorXd& x);
  // How large a change of the value matters; 0 where only the problem's curvature can tell.
  virtual double value_unit(const Expansion&) { return 0; }

  // Rounds kinks off over this width, in the units of the kinked terms; 0 leaves them sharp.
  virtual void smooth_by(double) {}
  virtual KinkSizes kink_sizes(const Eigen::VectorXd&) { return {}; }
  // Expansion with the kinks within `width` of zero set apart, at most `most` different ones.
  virtual KinkedExpansion expand_kinks(const Eigen::VectorXd&, double, int) { return {}; }

  // Triangles whose squares are: the expected information, empty where curvature tells it; and the sum
  // over rows of the squares of their slopes, empty where there are no rows.
  virtual Eigen::MatrixXd expected_factor(const Eigen::VectorXd&) { return {}; }
  virtual Eigen::MatrixXd slopes_factor(const Eigen::VectorXd&) { return {}; }
  // TRUE where uncertainty needs the spread of the rows' slopes beside the curvature.
  virtual bool spread_of_slopes() { return false; }

  // Parameters in which the residuals are known to be linear when the others are held.
  virtual std::vector<int> linear_parameters() { return {}; }
  // Asks for the most accurate derivatives from now on: the walk is nearly over.
  void refine() { refined = true; }
  // Says whether residual_curvature() is going to be asked for where linearise() is: at one go both cost little more than one.
  void expect_curvature(bool expected) { curvature_expected = expected; }

  // Conditions between parameters, or none.
  std::shared_ptr<const JointConditions> joint;

  // Where global solvers look; empty for others.
  SearchBox box;
  // TRUE where values come from outside, which is asked only for points that keep to the conditions.
  bool only_inside = false;
  // Computes values many at a time, where set: those of up to `batch_size` columns.
  std::function<Eigen::VectorXd(const Eigen::MatrixXd& points)> batch;
  int batch_size = 1;
  // TRUE where the user has asked to stop; none where nobody can.
  std::function<bool()> halted;
  bool is_halted() const { return halted && halted(); }
  // TRUE where an evaluation takes long enough to be given up in the middle: then it throws Halted.
  virtual bool halts_midway() const { return calls_user(); }
  // TRUE where each evaluation is a call of a function of the user's: then all are counted, whatever they are for, and none is
  // made beyond what is allowed.
  virtual bool calls_user() const { return false; }
  // Threads over which rows, or the points of values(), are shared out; and when values() ends early.
  int threads = 1;
  std::chrono::steady_clock::time_point deadline = std::chrono::steady_clock::time_point::max();
  // Up to how many evaluations and until when a function of the user's is called.
  double most_evaluations = std::numeric_limits<double>::infinity();
  std::chrono::steady_clock::time_point out_of_time = std::chrono::steady_clock::time_point::max();
  // The best that was met by calls of the user's function, whatever they were for; empty where there is none.
  Eigen::VectorXd best_met;
  double best_value = std::numeric_limits<double>::infinity();

  bool refined = false;
  bool curvature_expected = false;
  long evaluations = 0;
  long refused = 0;  // evaluations that gave no finite number

  // No best point so far, and no evaluations.
  void forget() {
    evaluations = refused = 0;
    best_met.resize(0);
    best_value = std::numeric_limits<double>::infinity();
  }

 private:
  Eigen::VectorXd batched(const Eigen::MatrixXd& points);
  // How many of `n` points may still be evaluated.
  int affordable(int n) const;

 protected:
  // Before each call of a function of the user's; throws Halted where what is allowed is spent.
  void spend();
  // After it: what a call gives that the user stopped in its midst is no value.
  void answered() const;
  // After it, where it gave a value.
  void note_met(const Eigen::VectorXd& x, double value);
  template <class Kind>
  static std::unique_ptr<Problem> cloned(const Kind& problem) {
    auto out = std::make_unique<Kind>(problem);
    out->threads = 1;
    out->forget();
    return out;
  }
};

}  // namespace tundrel
