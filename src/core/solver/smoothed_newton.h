// For sums of absolute values: kinks rounded off less and less, then met exactly.
#pragma once
#include "newton.h"

namespace tundrel {

// Each absolute value |k| is replaced by the root of k^2 + width^2, Newton's method finds the optimum,
// and the width shrinks (El-Attar, Vidyasagar and Dutta, 1979, SIAM Journal on Numerical Analysis 16,
// 70-86). Once the width is small, the kinks within its reach are set to zero exactly, with multipliers,
// by Newton steps on the conditions of optimality; multipliers within their range end the walk. Where they are not, the
// criterion is taken as what it is close by, a linear program, and solved as one.
class SmoothedNewton : public Solver {
 public:
  explicit SmoothedNewton(Newton::Settings settings);

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  void take_over(Problem& problem);
  // Sharpens the kinks further, or gives up where they are as sharp as numbers can be.
  void narrow(Problem& problem);
  bool meet_kinks(Problem& problem);
  // Steps of the linear program that the criterion is close to where it stands. TRUE where they end on an optimum.
  bool solve_program(Problem& problem);

  Newton smooth_;
  Status status_;
  double width_ = 0, first_width_ = 0;
};

}  // namespace tundrel
