// Local search without derivatives for criteria whose values are costly.
#pragma once
#include "interpolation_walk.h"

namespace tundrel {

class Interpolation : public Solver {
 public:
  struct Settings {
    double radius = 0.1;        // of the first region, as a share of the parameters' sizes
    double tolerance = 1e-10;   // on the value; the last radius is its root
  };

  explicit Interpolation(Settings settings) : settings_(settings) {}

  bool is_sparing() const override { return true; }
  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  Settings settings_;
  Status status_;
  Eigen::VectorXd sizes_;
  InterpolationWalk walk_;
};

}  // namespace tundrel
