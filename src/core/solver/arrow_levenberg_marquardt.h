// Levenberg-Marquardt for many groups of rows that share some of their parameters.
#pragma once
#include <optional>
#include <vector>

#include "../problem/arrow.h"
#include "../step/arrow_step.h"
#include "solver.h"

namespace tundrel {

// Steps are damped as by Nielsen (1999, Damping parameter in Marquardt's method, report IMM-REP-1999-05). A parameter that a bound
// holds back stays there, and a step ends at each parameter's limit at the latest.
class ArrowLevenbergMarquardt : public Solver {
 public:
  explicit ArrowLevenbergMarquardt(double tolerance) : tolerance_(tolerance) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  // What is known at the present point follows from that point and the scale; of a stored solver it is found again.
  void look_again(Problem& problem);
  void prepare(Problem& problem);
  ArrowStep step(Problem& problem, double damping) const;
  Eigen::VectorXd moved(Problem& problem, const Eigen::VectorXd& step) const;
  double promised(Problem& problem, const Eigen::VectorXd& step) const;
  void walk(Problem& problem);
  void close(Problem& problem);
  void begin_closing(StopReason reason, const char* action);

  double tolerance_;
  Status status_;
  Eigen::VectorXd scale_;  // of each parameter: the largest norm of its column so far, which makes parameters of all sizes comparable
  double damping_ = 0, growth_ = 2;
  bool closing_ = false;
  int closing_steps_ = 0;
  StopReason claim_ = StopReason::none;  // what the closing steps were started for
  bool known_ = false;
  std::vector<Linearisation> at_, there_;
  std::vector<char> held_;
  std::optional<ArrowStep> undamped_;
};

}  // namespace tundrel
