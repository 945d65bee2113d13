// Nonlinear conjugate gradients.
#pragma once
#include "descent.h"

namespace tundrel {

// Polak and Ribiere (1969), restarted where the direction stops leading down, or the last slope is far
// from orthogonal to the one before (Powell, 1977). Bounds as in Lbfgs.
class ConjugateGradient : public Descent {
 public:
  struct Settings {
    double tolerance = 1e-10;
  };

  explicit ConjugateGradient(Settings settings) : Descent(settings.tolerance) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  void visit(StateVisitor& visitor) override;

 private:
  Eigen::VectorXd direction_;  // in the parameters' sizes
  double last_length_ = 0, last_promise_ = 0;
  bool steepest_ = true;
};

}  // namespace tundrel
