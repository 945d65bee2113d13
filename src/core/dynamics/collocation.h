// Radau's collocation on the unit interval: a polynomial that satisfies the equations at s places, the last of them the end. It is
// stable for however stiff a system, exact to order 2 s - 1 at the end, and to order s all along (Hairer and Wanner, Solving Ordinary
// Differential Equations II, chapter IV.5).
#pragma once
#include <Eigen/Core>

namespace tundrel {

constexpr int kStages = 7;

struct Collocation {
  using Vector = Eigen::Matrix<double, kStages, 1>;
  using Matrix = Eigen::Matrix<double, kStages, kStages>;

  Vector place;     // of the stages
  Matrix integral;  // of each stage's Lagrange polynomial, up to each place
  // Slope at the beginning, from the value there and those at the stages.
  Eigen::Matrix<double, kStages + 1, 1> slope_at_start;
  // How much of the defect at the beginning can become an error anywhere in the step.
  double defect_share;

  Collocation();
  // Divided differences: of all places, and of the stages alone; and how large the product of all distances to places can be.
  Eigen::Matrix<double, kStages + 1, 1> highest;
  Vector second_highest;
  double product;
  // Weights of the value at the beginning and those at the stages, for the value at `t`.
  Eigen::Matrix<double, kStages + 1, 1> weights_at(double t) const;
};

const Collocation& collocation();

}  // namespace tundrel
