// A value that comes from a function of the user's, with derivatives by differences where none are given.
#pragma once
#include <functional>

#include "differences.h"
#include "problem.h"

namespace tundrel {

class ValueFunctionProblem : public Problem {
 public:
  using Value = std::function<double(const Eigen::VectorXd& x)>;

  // `gradient` may be empty. Numbers that are not finite refuse a point.
  ValueFunctionProblem(Value value, VectorFunction gradient, Bounds bounds)
      : value_(std::move(value)), gradient_(std::move(gradient)), bounds_(std::move(bounds)) {}

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  bool calls_user() const override { return true; }
  double value(const Eigen::VectorXd& x) override;
  Slope slope(const Eigen::VectorXd& x) override;
  Expansion expand(const Eigen::VectorXd& x) override;
  std::vector<int> kinked_along(const Eigen::VectorXd& x) override;

 private:
  Eigen::VectorXd gradient(const Eigen::VectorXd& x);

  Value value_;
  VectorFunction gradient_;
  Bounds bounds_;
};

}  // namespace tundrel
