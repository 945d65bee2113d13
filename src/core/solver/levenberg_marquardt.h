// Levenberg-Marquardt for sums of squares, as a trust-region method with bounds.
#pragma once
#include <memory>
#include <vector>

#include "../step/squares_place.h"
#include "solver.h"

namespace tundrel {

// Levenberg (1944), Marquardt (1963); as a trust region in scaled parameters after More (1978). With geodesic
// acceleration (Transtrum and Sethna, 2012, arXiv:1201.5885) a step bends as the model's curved surface does.
// Bounds by an active set: parameters that rest on a bound with the value falling outwards are held
// there, and a step that meets a bound stops that parameter and is solved again for the others. An
// active set is chosen over reflection because it puts parameters exactly on their bounds, which
// is what the user has to be told.
class LevenbergMarquardt : public Solver {
 public:
  struct Settings {
    double first_radius = 1;    // of the trust region, in lengths of the scaled start
    bool geodesic = false;      // add the acceleration along the geodesic to each step
    double tolerance = 1e-10;   // on gradient, step and value, all relative
  };

  explicit LevenbergMarquardt(Settings settings) : settings_(settings) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  enum class Closing { no, gauss_newton, newton };

  using Bend = SquaresPlace::Bend;

  // TRUE where this near to the answer steps know how the residuals curve.
  bool curves(double offset) const;
  void walk(Problem& problem);
  Bend accelerate(Problem& problem, Eigen::VectorXd& step) const;
  void close(Problem& problem);
  void take_closing_step(Problem& problem);
  void end_closing_step(bool better, bool fast);
  bool newton_step(Problem& problem, Eigen::VectorXd& step, double& bending);
  void move_there(const Eigen::VectorXd& x);
  void begin_closing(Problem& problem, StopReason reason);

  Settings settings_;
  Status status_;
  // The latter keeps no state, but its memory; as do the next.
  std::unique_ptr<SquaresPlace> here_ = std::make_unique<SquaresPlace>(), there_ = std::make_unique<SquaresPlace>();
  Eigen::VectorXd to_, step_;
  Eigen::MatrixXd curvature_;
  double radius_ = 0;
  Closing closing_ = Closing::no;
  StopReason claim_ = StopReason::none;  // what the closing steps were started for
  int slow_steps_ = 0;
};

}  // namespace tundrel
