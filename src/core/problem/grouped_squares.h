// Least squares over groups of rows that have the same model and differ in some of its parameters.
#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "../expression/program.h"
#include "arrow.h"

namespace tundrel {

class GroupedSquares : public SquaresProblem, public Arrow {
 public:
  // `model` is the sum of squares of one group, which reads the group's rows of `measured`.
  GroupedSquares(std::unique_ptr<Problem> model, Columns measured, Grouping grouping, Bounds bounds);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  bool halts_midway() const override { return grouping_.count() > kAtOnce; }
  std::unique_ptr<Problem> clone() const override;
  double value(const Eigen::VectorXd& x) override;
  void linearise_into(const Eigen::VectorXd& x, Linearisation& at) override;
  double response_norm() override;
  bool residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) override;

  Arrow* arrow() override { return this; }
  const Grouping& grouping() const override { return grouping_; }
  bool linearise_groups(const Eigen::VectorXd& x, std::vector<Linearisation>& at) override;
  bool curvature_of_group(const Eigen::VectorXd& x, int k, Eigen::MatrixXd& curvature) override;

 private:
  // Groups between two looks at whether the user has stopped.
  static constexpr int kAtOnce = 1024;

  // The model on the rows and sizes of group k.
  Problem& on_group(Problem& model, int k) const;
  // Calls use(model on the rows of k, parameters of k, k) for each group, shared out over threads. Throws Halted where the user stops it.
  void for_each_group(const Eigen::VectorXd& x, const std::function<void(Problem&, const Eigen::VectorXd&, int)>& use);
  bool count(bool usable);

  std::vector<std::unique_ptr<Problem>> models_;  // one for each thread so far
  Columns measured_;
  Grouping grouping_;
  Bounds bounds_;
  double response_norm_ = -1;
  std::vector<Linearisation> groups_;  // kept for its memory
};

}  // namespace tundrel
