// Levenberg-Marquardt for residuals whose evaluation is costly.
#pragma once
#include "../step/squares_place.h"
#include "solver.h"

namespace tundrel {

// The trust region of LevenbergMarquardt, with a Jacobian that each accepted step corrects by what the residuals did along it (Broyden, 1965),
// in scaled parameters. Where the Jacobian is fresh and the region cuts a step short, the step bends as the residuals do (Transtrum and Sethna,
// 2012), by one call a tenth of the way along it. Differences are made anew where a step brings much less than was promised, and near the answer, where Gauss-Newton's
// steps, or where these are slow Newton's, follow from central ones until they have nothing left to do.
class SecantLevenbergMarquardt : public Solver {
 public:
  SecantLevenbergMarquardt(double first_radius, double tolerance) : first_radius_(first_radius), tolerance_(tolerance) {}

  bool is_sparing() const override { return true; }
  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  enum class Closing { no, gauss_newton, newton };
  // How the Jacobian was made.
  enum class Made { by_secants, by_forward, by_central };

  // FALSE where some difference cannot be had.
  bool make_differences(Problem& problem);
  void correct(const Eigen::VectorXd& step, const Eigen::VectorXd& residuals);
  void triangulate();
  SquaresPlace::Bend accelerate(Problem& problem);
  void walk(Problem& problem);
  void close(Problem& problem);
  void begin_closing(StopReason claim);
  void shrink(double length);
  void move(Problem& problem, const Eigen::VectorXd& to);

  double first_radius_, tolerance_;
  Status status_;
  Eigen::VectorXd residuals_;
  Eigen::MatrixXd jacobian_;
  SquaresPlace here_;  // follows from the two, and the scale
  double radius_ = 0;
  Made made_ = Made::by_secants;
  bool useless_ = false;  // the last step by a corrected Jacobian was refused
  bool fast_ = false;     // the last step left a small share of the relative offset
  bool doubted_ = false;  // the Jacobian is to be made anew before the next step
  Closing closing_ = Closing::no;
  StopReason claim_ = StopReason::none;
  double gain_ = 0;       // by how much the last step with fresh differences lowered the logarithm of the value, for each of its calls
  double left_ = 0;    // the relative offset before the last closing step
  double near_ = 0;    // below this relative offset closing begins
  int closing_steps_ = 0;
  Eigen::VectorXd to_, step_, there_;
  Eigen::MatrixXd curvature_;
};

}  // namespace tundrel
