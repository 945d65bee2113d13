// How readings are best shared out among candidates, were parts of readings possible.
#pragma once
#include <Eigen/Core>

#include "worth.h"

namespace tundrel {

struct Shares {
  Eigen::VectorXd amounts;  // of readings at each candidate
  double value;             // the least of the groups
  // No other way to spend the same raises the value by more than this: the equivalence theorem (Kiefer and Wolfowitz 1960, Canadian Journal of
  // Mathematics 12, 363-366; for several aims Cook and Wong 1994, Journal of the American Statistical Association 89, 687-692).
  double gap;
  Eigen::VectorXd duals;    // of each group, how much it limits the value; they add up to one
  Eigen::VectorXd slope;    // what a reading more of each candidate would raise, with these duals
};

// `costs` of a reading at each candidate, and the `budget` for all of them together.
Shares share_out(const Aims& aims, const Eigen::VectorXd& costs, double budget);

// The same bound for amounts that come from elsewhere, such as whole readings.
Shares judge_amounts(const Aims& aims, const Eigen::VectorXd& costs, double budget, const Eigen::VectorXd& amounts, const Eigen::VectorXd& duals);

}  // namespace tundrel
