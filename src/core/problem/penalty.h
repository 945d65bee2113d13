// What was known of the parameters beforehand: expressions of them that should be small, in units of how well that is known.
#pragma once
#include <memory>

#include "kinks.h"
#include "squares.h"

namespace tundrel {

// Adds the square of each expression to a sum of squares.
class Penalty : public SquaresProblem {
 public:
  Penalty(std::shared_ptr<const JointConditions> terms, Bounds bounds) : terms_(std::move(terms)), bounds_(std::move(bounds)) {}

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  std::unique_ptr<Problem> clone() const override { return cloned(*this); }
  double value(const Eigen::VectorXd& x) override;
  void linearise_into(const Eigen::VectorXd& x, Linearisation& at) override;
  // Expressions are measured against one.
  double response_norm() override { return std::sqrt(static_cast<double>(terms_->count())); }
  bool rows(const Eigen::VectorXd& x, Eigen::VectorXd& residuals, Eigen::MatrixXd* jacobian) override;
  bool residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) override;
  bool bend_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, Eigen::VectorXd& bend) override;

 private:
  std::shared_ptr<const JointConditions> terms_;
  Bounds bounds_;
};

// Adds half of it to a criterion that is minus a log-likelihood.
class PenaltyLoss : public Problem, public RowSlopes {
 public:
  PenaltyLoss(std::shared_ptr<const JointConditions> terms, Bounds bounds) : terms_(std::move(terms)), bounds_(std::move(bounds)) {}

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  std::unique_ptr<Problem> clone() const override { return cloned(*this); }
  RowSlopes* row_slopes() override { return this; }
  double value(const Eigen::VectorXd& x) override;
  Expansion expand(const Eigen::VectorXd& x) override;
  double value_unit(const Expansion&) override { return 1; }
  Eigen::MatrixXd expected_factor(const Eigen::VectorXd& x) override { return slopes_factor(x); }
  Eigen::MatrixXd slopes_factor(const Eigen::VectorXd& x) override { return terms_->gradients(x).transpose(); }
  bool spread_of_slopes() override { return false; }

 private:
  std::shared_ptr<const JointConditions> terms_;
  Bounds bounds_;
};

}  // namespace tundrel
