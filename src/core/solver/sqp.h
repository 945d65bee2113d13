// Sequential quadratic programming: every kind of condition.
#pragma once
#include <vector>

#include "solver.h"

namespace tundrel {

// Wilson (1963), Han (1977), Powell (1978); as in Nocedal and Wright, Numerical Optimization (2006), chapter
// 18: a quadratic model of the Lagrange function with exact second derivatives, made convex where it is
// not, under linearised conditions, solved by an active-set method of its own (see quadratic_program.h);
// an exact penalty on what is missed; a second-order correction where curved conditions would refuse good
// steps; and restoration where linearised conditions cannot be met.
class Sqp : public Solver {
 public:
  struct Settings {
    double first_radius = 1;  // most any parameter moves at first, in its sizes
    double tolerance = 1e-10;
  };

  explicit Sqp(Settings settings) : settings_(settings) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  struct Step {
    bool feasible = false;
    Eigen::VectorXd move;         // in the parameters' sizes
    Eigen::VectorXd multipliers;  // of the joint conditions
    std::vector<int> onto_bound;  // parameters that the step puts on their bounds
  };

  void accept(Problem& problem, const Eigen::VectorXd& x, Expansion at);
  Eigen::VectorXd slope_left(const Problem& problem) const;
  Eigen::MatrixXd convex_model(const Problem& problem) const;
  // The quadratic program within the region; relaxed where its conditions cannot all be met there; or
  // without a region, to correct a step that was within.
  enum class Model { boxed, relaxed, unboxed };
  Step solve_model(const Problem& problem, const Eigen::MatrixXd& model, const Eigen::VectorXd& values, Model kind) const;
  double merit(double value, const Eigen::VectorXd& misses) const { return value + penalties_.dot(misses); }
  void make_worth(const Eigen::VectorXd& made_up, double least);
  void restore(Problem& problem);

  Settings settings_;
  Status status_;
  Expansion at_;
  Eigen::VectorXd sizes_, multipliers_;
  Eigen::VectorXd condition_values_;
  Eigen::MatrixXd condition_slopes_;  // in the parameters' sizes, a column a condition
  Eigen::VectorXd penalties_;
  double radius_ = 0, first_size_ = 0;
  int idle_ = 0, restorations_ = 0;
};

}  // namespace tundrel
