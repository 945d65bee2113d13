// Conditions that tie several parameters together: functions of the parameters that must vanish, or
// must not be negative.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../expression/program.h"

namespace tundrel {

class JointConditions {
 public:
  // Each condition is a node of `graph`, equalities first.
  JointConditions(Graph graph, const std::vector<int>& nodes, int n_equalities, int n_parameters);

  int count() const { return static_cast<int>(values_.size()); }
  int n_equalities() const { return n_equalities_; }
  Eigen::VectorXd values(const Eigen::VectorXd& x) const;
  // A column a condition.
  Eigen::MatrixXd gradients(const Eigen::VectorXd& x) const;
  // Second derivatives of the conditions, each times its weight, added up.
  Eigen::MatrixXd curvature(const Eigen::VectorXd& x, const Eigen::VectorXd& weights) const;
  // By how much each condition is missed; 0 where it holds.
  Eigen::VectorXd misses(const Eigen::VectorXd& x) const;

 private:
  std::vector<Program> values_;
  std::vector<std::vector<Program>> slopes_, curvatures_;
  int n_equalities_;
};

}  // namespace tundrel
