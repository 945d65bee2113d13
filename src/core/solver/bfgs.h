// Variable metric: curvature learned from slopes.
#pragma once
#include "descent.h"

namespace tundrel {

// Broyden, Fletcher, Goldfarb and Shanno (1970), with Powell's damping where the curvature seen is not
// positive (1978). Bounds by an active set: steps come from the quadratic model, as for Newton, and a line
// search along them.
class Bfgs : public Descent {
 public:
  struct Settings {
    double tolerance = 1e-10;
  };

  explicit Bfgs(Settings settings) : Descent(settings.tolerance) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  void visit(StateVisitor& visitor) override;

 private:
  void learn(const Eigen::VectorXd& step, const Eigen::VectorXd& change);

  Eigen::MatrixXd curvature_;
  bool learned_ = false;
};

}  // namespace tundrel
