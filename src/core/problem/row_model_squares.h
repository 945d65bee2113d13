// A sum of squares of residuals that a row model gives, or of its distances from readings.
#pragma once
#include <memory>

#include "row_model.h"
#include "squares.h"
#include "triangular_factor.h"

namespace tundrel {

class RowModelSquares : public SquaresProblem {
 public:
  // Without `readings` the model's values are the residuals themselves; with them a residual is root weight times (reading - value).
  // `response_norm` is what residuals are measured against.
  RowModelSquares(std::unique_ptr<RowModel> model, Eigen::VectorXd readings, Eigen::VectorXd root_weights, Bounds bounds, double response_norm);

  int size() const override { return model_->size(); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override {
    bounds_.typical = typical;
    model_->expect(typical);
  }
  bool calls_user() const override { return model_->calls_user(); }
  std::unique_ptr<Problem> clone() const override;
  double value(const Eigen::VectorXd& x) override;
  // By forward differences while walking, by central ones once refined, where derivatives are not exact.
  void linearise_into(const Eigen::VectorXd& x, Linearisation& at) override;
  double response_norm() override { return response_norm_; }
  Eigen::VectorXd residuals_of(const Eigen::VectorXd& given) const override;
  bool rows(const Eigen::VectorXd& x, Eigen::VectorXd& residuals, Eigen::MatrixXd* jacobian) override;
  bool residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) override;
  bool verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) override;
  double column_noise(const Eigen::VectorXd& x, int i) override;

 private:
  // Calls use(columns of residuals, their derivatives, and second ones where `order` is 2; number of rows) for each block.
  template <class Use>
  bool for_blocks(const Eigen::VectorXd& x, int order, const Use& use);

  std::unique_ptr<RowModel> model_;
  Eigen::VectorXd readings_, root_weights_;
  Bounds bounds_;
  double response_norm_;
  double latest_norm_ = 0;  // of the residuals
};

}  // namespace tundrel
