// A compiled criterion that is a sum over rows, made small.
#pragma once
#include <vector>

#include "../criterion/row_loss.h"
#include "../expression/program.h"
#include "kinks.h"
#include "problem.h"
#include "sweep.h"

namespace tundrel {

class RowSumProblem : public Problem, public Kinks, public RowSlopes {
 public:
  // Nodes of `loss` are in `graph`, whose parameters are the free ones.
  RowSumProblem(Graph graph, const RowLoss& loss, Columns columns, Bounds bounds, int threads);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  Kinks* kinks() override { return loss_.kink < 0 ? nullptr : this; }
  RowSlopes* row_slopes() override { return loss_.noise ? this : nullptr; }
  double value(const Eigen::VectorXd& x) override;
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  std::unique_ptr<Problem> clone() const override { return cloned(*this); }
  bool halts_midway() const override { return Sweep::is_long(Segments(columns_.rows)); }
  bool read(const Columns& columns) override;
  Slope slope(const Eigen::VectorXd& x) override;
  Expansion expand(const Eigen::VectorXd& x) override;
  // One step of a log-likelihood, or of a robust loss, is one squared scale of the noise.
  double value_unit(const Expansion& at) override;
  void smooth_by(double width) override { width_ = width; }
  KinkSizes kink_sizes(const Eigen::VectorXd& x) override;
  KinkedExpansion expand_kinks(const Eigen::VectorXd& x, double width, int most) override;
  Eigen::MatrixXd expected_factor(const Eigen::VectorXd& x) override;
  Eigen::MatrixXd slopes_factor(const Eigen::VectorXd& x) override;
  bool spread_of_slopes() override { return loss_.spread_of_slopes; }

 private:
  // Value, gradient and lower triangle of second derivatives of nodes, one after the other.
  Program expansion_program(const std::vector<int>& nodes);
  Eigen::VectorXd column_sums(const Program& program, const Eigen::VectorXd& x);
  Eigen::MatrixXd factor_of_rows(const Program& program, const Eigen::VectorXd& x, int rows_at_once);
  // The parameters, then the width over which kinks are rounded off.
  Eigen::VectorXd with_width(const Eigen::VectorXd& x) const;

  Graph graph_;
  RowLoss loss_;
  Columns columns_;
  Bounds bounds_;
  int rounded_;  // node of the loss with its kink rounded off
  double width_ = 0, constant_ = 0;
  Sweep sweep_;
  Program constant_program_, value_program_, slope_program_, expansion_program_, kink_program_;
  bool slopes_ = false, expands_ = false, sets_kinks_apart_ = false;
};

}  // namespace tundrel
