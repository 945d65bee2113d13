// A sum over rows of a loss of fitted values, where a row model gives these. Derivatives by the chain rule.
#pragma once
#include <memory>
#include <vector>

#include "kinks.h"
#include "row_model.h"
#include "row_sum_problem.h"

namespace tundrel {

class RowModelLoss : public Problem, public RowSlopes {
 public:
  // `loss` is a smooth one of `graph`, whose parameters are the free ones, and in which column `fitted` stands for the model's values.
  RowModelLoss(std::unique_ptr<RowModel> model, Graph graph, const RowLoss& loss, int fitted, Columns columns, Bounds bounds);

  int size() const override { return model_->size(); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override {
    bounds_.typical = typical;
    model_->expect(typical);
  }
  bool calls_user() const override { return model_->calls_user(); }
  RowSlopes* row_slopes() override { return model_->exact() ? this : nullptr; }
  double value(const Eigen::VectorXd& x) override;
  Slope slope(const Eigen::VectorXd& x) override;
  // Where second derivatives of the model are not exact they are found once refined, and left out before.
  Expansion expand(const Eigen::VectorXd& x) override;
  double value_unit(const Expansion& at) override;
  Eigen::MatrixXd expected_factor(const Eigen::VectorXd&) override { return {}; }
  Eigen::MatrixXd slopes_factor(const Eigen::VectorXd& x) override;
  bool spread_of_slopes() override { return loss_.spread_of_slopes; }

 private:
  // What the loss is at the fitted values, then its derivative by these, then by each parameter; of order 2 second ones as well.
  const Program& program(int order);
  template <class Use>
  bool for_blocks(const Eigen::VectorXd& x, int order, const Use& use);
  double sum_of_losses(const Eigen::VectorXd& x, const Eigen::VectorXd& fitted);

  std::unique_ptr<RowModel> model_;
  Graph graph_;  // in which parameter size() stands for the fitted value
  RowLoss loss_;
  int node_, fitted_;
  Columns columns_;
  Bounds bounds_;
  Program programs_[3];
  bool made_[3] = {false, false, false};
  double largest_ = 0;  // value that was met
};

}  // namespace tundrel
