// What holds a point back: the conditions that it meets with no room to spare, and the bounds that it rests on.
#pragma once
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

struct ActiveSet {
  bool feasible = true;             // no condition between parameters is missed
  Eigen::MatrixXd normals;          // slopes in the parameters' sizes, pointing inside; a column each
  std::vector<bool> has_sign;       // FALSE for equalities, whose multiplier may have either sign
  std::vector<int> condition;       // which condition between parameters, or -1
  std::vector<int> bound;           // which parameter rests on its bound, or -1

  Eigen::Index size() const { return normals.cols(); }
};

// Within this many steps of the parameters' sizes a condition is met, or missed only by rounding.
constexpr double kConditionShare = 1e-7;

ActiveSet active_at(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& sizes);

// The slope of the value as a sum of the normals, each times its multiplier, as far as the signs of multipliers allow.
struct Balance {
  Eigen::VectorXd weights;      // one way to make it up
  Eigen::VectorXd multipliers;  // by how much the value falls for each unit by which one is loosened, alone
  Eigen::VectorXd left;         // of the slope, when the best sum is taken off
  double size = 0;              // what slope and sum come to: rounding is measured against it
};

// `normals` and `slope` in one metric, in which what is left is made short.
Balance balance(const Eigen::VectorXd& slope, const Eigen::MatrixXd& normals, const std::vector<bool>& has_sign);

// An orthonormal basis of the directions at right angles to all of these columns.
Eigen::MatrixXd directions_left(const Eigen::MatrixXd& normals);

}  // namespace tundrel
