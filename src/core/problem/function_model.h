// Fitted values, or residuals, that a function of the user's gives, with derivatives by differences.
#pragma once
#include <cstdint>
#include <functional>
#include <vector>

#include "bounds.h"
#include "row_model.h"

namespace tundrel {

class FunctionModel : public RowModel {
 public:
  // Fills the values at a point; numbers that are not finite refuse it.
  using Values = std::function<void(const Eigen::VectorXd& x, Eigen::VectorXd& values)>;

  // A column for each parameter.
  using Slopes = std::function<Eigen::MatrixXd(const Eigen::VectorXd& x)>;

  // `bounds` are those that differences keep to; `acting` the parameters that values depend on, all where it is empty. First derivatives are
  // the user's own where there are `slopes`.
  FunctionModel(Values values, int rows, Bounds bounds, std::vector<int> acting = {}, Slopes slopes = {})
      : values_(std::move(values)), slopes_(std::move(slopes)), rows_(rows), bounds_(std::move(bounds)), acting_(std::move(acting)) {
    if (acting_.empty())
      for (int i = 0; i < size(); ++i) acting_.push_back(i);
  }

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  std::int64_t rows() const override { return rows_; }
  bool exact() const override { return false; }
  bool calls_user() const override { return true; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  bool begin(const Eigen::VectorXd& x, int order, Differences kind, Evaluation& work) override;
  const double* const* block(std::int64_t first, int n) override;
  double slope_noise(const Eigen::VectorXd& x, int i, double rounding, Differences kind) const override;
  bool second_along(const Eigen::VectorXd& x, const Eigen::VectorXd& weights, double rounding, Differences kind, Evaluation& work,
                    Eigen::MatrixXd& out, Eigen::MatrixXd& noise) override;

 private:
  Eigen::VectorXd evaluate(const Eigen::VectorXd& x, Evaluation& work) const;
  // One without rows where the user's own cannot be used.
  Eigen::MatrixXd slopes(const Eigen::VectorXd& x, Evaluation& work) const;
  bool second_by_slopes(const Eigen::VectorXd& x, const Eigen::VectorXd& weights, Evaluation& work, Eigen::MatrixXd& out, Eigen::MatrixXd& noise);

  Values values_;
  Slopes slopes_;
  int rows_;
  Bounds bounds_;
  std::vector<int> acting_;
  std::vector<Eigen::VectorXd> columns_;  // values, then derivatives
  std::vector<const double*> places_;
};

}  // namespace tundrel
