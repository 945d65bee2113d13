// A least-squares problem in the parameters that do not enter linearly: the others are at their best.
#pragma once
#include "../problem/problem.h"

namespace tundrel {

// Variable projection (Golub and Pereyra, 1973, SIAM Journal on Numerical Analysis 10, 413-432), for solvers that need
// values alone.
class EliminatedProblem : public Problem {
 public:
  // `base` holds values of all parameters from which linear steps begin.
  EliminatedProblem(std::unique_ptr<Problem> inner, std::vector<int> linear, Eigen::VectorXd base);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  double value(const Eigen::VectorXd& x) override;
  // Solvers that ask for more than values solve the whole problem.
  Expansion expand(const Eigen::VectorXd&) override { return {}; }
  double least_value() override { return inner_->least_value(); }
  std::unique_ptr<Problem> clone() const override;
  Eigen::VectorXd whole(const Eigen::VectorXd& x) override;
  Eigen::VectorXd kept(const Eigen::VectorXd& whole) const;

 private:
  std::unique_ptr<Problem> inner_;
  std::vector<int> linear_, others_;
  Eigen::VectorXd base_;
  Bounds bounds_;
};

}  // namespace tundrel
