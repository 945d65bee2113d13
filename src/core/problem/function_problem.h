// Residuals that come from a function of the user's, with derivatives by differences.
#pragma once
#include <functional>

#include "problem.h"

namespace tundrel {

class FunctionProblem : public Problem {
 public:
  // Fills the residuals at a point; numbers that are not finite refuse it.
  using Residuals = std::function<void(const Eigen::VectorXd& x, Eigen::VectorXd& residuals)>;

  FunctionProblem(Residuals residuals, int rows, Bounds bounds, double response_norm)
      : residuals_(std::move(residuals)), rows_(rows), bounds_(std::move(bounds)), response_norm_(response_norm) {}

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  bool calls_user() const override { return true; }
  double value(const Eigen::VectorXd& x) override;
  // By forward differences while walking, by central ones of order four once refined.
  void linearise_into(const Eigen::VectorXd& x, Linearisation& at) override;
  double response_norm() override { return response_norm_; }
  double column_noise(const Eigen::VectorXd& x, int i) override;
  bool verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) override;

 private:
  Eigen::VectorXd evaluate(const Eigen::VectorXd& x);

  Residuals residuals_;
  int rows_;
  Bounds bounds_;
  double response_norm_;
  double latest_norm_ = 0;  // of the residuals
};

}  // namespace tundrel
