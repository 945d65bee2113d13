// Least squares over groups of rows that share some of their parameters.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../expression/program.h"
#include "run_loop.h"

namespace tundrel {

struct SharedFit {
  Eigen::MatrixXd x;       // a column a group; rows of shared parameters hold the same number throughout
  Eigen::VectorXd values;  // of the sum of squares, by group
  Eigen::MatrixXd errors;  // standard errors per unit of residual sd, as x; not a number at a bound, infinite where undetermined
  std::vector<int> rank;  // of each group: how many directions of its own parameters its readings determine
  bool shared_determined = false;
  bool converged = false;
  StopReason reason = StopReason::none;
  double gradient_norm = 0;
  long iterations = 0, evaluations = 0;
};

// Levenberg-Marquardt with the Jacobian's arrow structure: the rows of group k are those from first[k] up to first[k + 1].
// Each group is folded into a triangle, its own parameters are eliminated from it, and what is left speaks of the shared
// ones; so time and memory grow in proportion to the groups. Starts of shared parameters are those of the first group. The
// same bits whatever the number of the problem's threads. Nothing converges where the problem takes no other measurements.
SharedFit fit_shared(Problem& problem, const std::vector<int>& shared, const Eigen::MatrixXd& starts, const Eigen::MatrixXd& typical,
                     const Columns& measured, const std::vector<long>& first, double tolerance, const Budget& budget);

}  // namespace tundrel
