// Undamped steps for sums of squares, with a line search.
#pragma once
#include "../problem/squares.h"
#include "solver.h"

namespace tundrel {

// Gauss and Newton, as in Bjorck, Numerical Methods for Least Squares Problems (1996), section 9.2: the
// linearised problem solved without damping (singular directions left out), and the step halved until the
// value falls enough. Bounds by an active set, as in LevenbergMarquardt.
class GaussNewton : public Solver {
 public:
  struct Settings {
    double tolerance = 1e-10;
  };

  explicit GaussNewton(Settings settings) : tolerance_(settings.tolerance) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  void accept(Problem& problem, const Eigen::VectorXd& x, Linearisation at);

  double tolerance_;
  Status status_;
  Linearisation at_;
  int idle_ = 0;
};

}  // namespace tundrel
