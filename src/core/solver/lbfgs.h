// Variable metric with limited memory.
#pragma once
#include "descent.h"

namespace tundrel {

// Liu and Nocedal (1989, Mathematical Programming 45, 503-528): curvature from the last steps only, so
// that memory and time grow with the number of parameters and not with its square. Parameters that a bound
// holds are left out of the direction, and steps end at the first bound they meet.
class Lbfgs : public Descent {
 public:
  struct Settings {
    double tolerance = 1e-10;
    int memory = 10;  // steps remembered
  };

  explicit Lbfgs(Settings settings) : Descent(settings.tolerance), memory_(settings.memory) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  void visit(StateVisitor& visitor) override;

 private:
  Eigen::VectorXd direction() const;
  void remember(const Eigen::VectorXd& step, const Eigen::VectorXd& change);

  int memory_;
  // Steps and changes of the slope in the parameters' sizes, a column each, oldest first.
  Eigen::MatrixXd steps_, changes_;
};

}  // namespace tundrel
