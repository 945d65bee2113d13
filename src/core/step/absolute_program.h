// Sums of absolute values of linear functions, made small: what a criterion with kinks is close to a point.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace tundrel {

// Minimise slope'd + sum of count |value + normal'd| for lower <= d <= upper.
struct AbsoluteProgram {
  Eigen::VectorXd slope;
  Eigen::MatrixXd normals;  // a column a kink
  Eigen::VectorXd values, counts;
  Eigen::VectorXd lower, upper;  // zero is within
  Eigen::MatrixXd metric;        // its columns are steps of one length, at right angles to each other, that the kinks can feel
};

// Steps along edges on which kinks are zero, from zero to where no edge leads down (Bartels, Conn and Sinclair, 1978, SIAM Journal on
// Numerical Analysis 15, 224-241).
Eigen::VectorXd solve(const AbsoluteProgram& program);

// Steps of one length for a criterion whose information has this factor, in the parameters `moving`: a column each, in all
// parameters. Directions that it does not determine have none.
Eigen::MatrixXd unit_steps(const Eigen::MatrixXd& factor, const std::vector<int>& moving);

}  // namespace tundrel
