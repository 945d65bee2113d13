// What solvers that follow gradients share: where they stand, and when they stop.
#pragma once
#include <vector>

#include "solver.h"

namespace tundrel {

// One point of a walk along gradients. Lengths and slopes are in the parameters' sizes.
class Descent : public Solver {
 public:
  const Status& status() const override { return status_; }

 protected:
  explicit Descent(double tolerance) : tolerance_(tolerance) {}

  // FALSE where the start has no finite value; the status then says so.
  bool begin(Problem& problem, const Eigen::VectorXd& x);
  void accept(Problem& problem, const Eigen::VectorXd& x, Slope at);
  // Takes a step over and stops where slope, step or value say so. The last two only end a walk when they
  // hold several times in a row, since single short steps mean nothing.
  void take(Problem& problem, const Eigen::VectorXd& x, Slope at, const char* action);
  // Gradient in the parameters that no bound holds, zero in the others, in the parameters' sizes.
  Eigen::VectorXd free_gradient() const;
  void visit_descent(StateVisitor& visitor);

  double tolerance_;
  Status status_;
  Slope at_;
  Eigen::VectorXd sizes_;  // of the parameters, fixed at the start
  std::vector<int> unheld_;
  double first_slope_ = 0;
  int idle_ = 0;
};

}  // namespace tundrel
