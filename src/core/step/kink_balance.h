// The multipliers of kinks at zero that balance the slope of everything else.
#pragma once
#include <vector>

#include "../problem/kinks.h"

namespace tundrel {

struct BalancedKinks {
  Eigen::VectorXd slope;        // that is left
  Eigen::VectorXd multipliers;  // of each kink, from minus to plus its count
  Eigen::VectorXd weights;      // of each condition
};

// Conditions that are met with no room to spare: their gradients, a column each; those with a sign only push inwards.
struct HeldBy {
  Eigen::MatrixXd gradients;
  std::vector<bool> has_sign;
};

// Chooses each kink's multiplier, and each condition's, so that little slope is left along these steps, a column each: see unit_steps().
BalancedKinks balance_kinks(const KinkedExpansion& at, const Eigen::MatrixXd& steps, const HeldBy& conditions = {});

// Rank of a factor's columns.
int determined_directions(const Eigen::MatrixXd& factor, const std::vector<int>& columns);

}  // namespace tundrel
