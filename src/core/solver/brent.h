// The lowest point along a line, from values alone.
#pragma once
#include "solver.h"

namespace tundrel {

// Brent (1973, Algorithms for Minimization without Derivatives, chapter 5): parabolas through the best
// three points, golden sections where these mislead. First steps that grow bracket a lowest point; ends that
// are given bracket it by themselves. A machine that asks for one value at a time.
class LineMinimum {
 public:
  // From `start` with a first step of `step`, within low .. high, which may be infinite.
  void begin(double start, double value, double step, double low, double high);
  // Where the next value is wanted.
  double propose();
  // FALSE once the lowest point is known to `tolerance`, relative to its size and to `size`.
  bool record(double value, double tolerance, double size);
  double best() const { return x_; }
  double best_value() const { return fx_; }
  const char* action() const { return action_; }
  void visit(StateVisitor& visitor);

 private:
  double low_ = 0, high_ = 0;              // the lowest point lies between these
  double x_ = 0, fx_ = 0, w_ = 0, fw_ = 0, v_ = 0, fv_ = 0;  // best, second best, the one before
  double step_ = 0, last_ = 0, asked_ = 0;
  bool bracketing_ = true, tried_other_side_ = false;
  const char* action_ = "";
};

// For problems with one free parameter.
class Brent : public Solver {
 public:
  struct Settings {
    double tolerance = 1e-10;
  };

  explicit Brent(Settings settings) : tolerance_(settings.tolerance) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  double tolerance_;
  Status status_;
  LineMinimum line_;
};

}  // namespace tundrel
