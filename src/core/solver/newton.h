// Newton's method with exact second derivatives, as a trust-region method with bounds.
#pragma once
#include <vector>

#include "solver.h"

namespace tundrel {

// Trust region with exact curvature, which may be of either sign (More and Sorensen, 1983; Conn, Gould
// and Toint, Trust-Region Methods, 2000). Lengths are relative to the sizes of the parameters. Bounds by
// an active set, as in LevenbergMarquardt; when a test is met, undamped steps follow until the gradient
// stops improving.
class Newton : public Solver {
 public:
  struct Settings {
    double first_radius = 1;    // of the trust region, as a share of the parameters' sizes
    double tolerance = 1e-10;   // on gradient, step and value, all relative
  };

  explicit Newton(Settings settings) : settings_(settings) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

  // Goes on from where it stands after the problem has changed.
  void renew(Problem& problem);

 private:
  void accept(Problem& problem, const Eigen::VectorXd& x, Expansion at);
  void measure(Problem& problem);
  void walk(Problem& problem);
  void close(Problem& problem);
  void begin_closing(Problem& problem, StopReason reason);

  Settings settings_;
  Status status_;
  Expansion at_;
  Eigen::VectorXd sizes_;
  double radius_ = 0;
  std::vector<int> unheld_;
  bool convex_ = false;
  bool closing_ = false;
  StopReason claim_ = StopReason::none;
  int slow_steps_ = 0;
};

}  // namespace tundrel
