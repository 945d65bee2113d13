// The linear equations of a collocation step for a slope that is the same at all stages: taken apart into as many small systems as there
// are stages, by the eigenvectors of the collocation's matrix (Hairer and Wanner, section IV.8).
#pragma once
#include <Eigen/Core>
#include <Eigen/LU>
#include <complex>
#include <vector>

namespace tundrel {

class StageSolver {
 public:
  // For derivatives of the rates in the states, times the step.
  void factor(const Eigen::MatrixXd& slope);
  // In place; stages one below the other.
  void solve(Eigen::MatrixXd& right) const;

 private:
  Eigen::Index n_ = 0;
  std::vector<Eigen::PartialPivLU<Eigen::MatrixXcd>> systems_;
};

}  // namespace tundrel
