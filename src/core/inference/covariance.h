// What the Jacobian's triangle says about uncertainty.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <vector>

#include "../expression/program.h"

namespace tundrel {

// Inverse of factor'factor: the covariance of the parameters per unit of residual variance. Columns
// are scaled first, so that units do not matter. Parameters that take part in a direction which the
// data do not determine get infinite variance and covariances that are not numbers.
Eigen::MatrixXd unit_covariance(const Eigen::MatrixXd& factor);

// For every row, |factor^-T gradient of the row|: the standard error of the row's output per unit of
// residual sd; infinite for a row that moves along a direction which the data do not determine. Output 0 of the program is the row's value, outputs 1 .. p its derivatives.
Eigen::VectorXd row_errors(const Program& program, const Eigen::VectorXd& x, const Columns& columns,
                           const Eigen::MatrixXd& factor);

// The same of groups of rows: those of group k follow first[k] and end before first[k + 1]; its parameters are column k of `x`, its triangle
// column k of `factors`, and those that are `held` there count as known. The program has the derivatives in all parameters.
Eigen::VectorXd group_row_errors(const Program& program, const Eigen::MatrixXd& x, const Columns& columns, const std::vector<std::int64_t>& first,
                                 const Eigen::MatrixXd& factors, const Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>& held);

// Of each group an orthonormal basis of the plane in which its rows move by the parameters that are not held, each row in units of one over its
// `weight`; zeros where there are fewer directions than parameters.
Eigen::MatrixXd group_tangents(const Program& program, const Eigen::MatrixXd& x, const Columns& columns, const std::vector<std::int64_t>& first,
                               const Eigen::VectorXd& weight, const Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>& held);

// Square roots of the diagonal of each group's covariance; not a number where held.
Eigen::MatrixXd group_unit_errors(const Eigen::MatrixXd& factors, const Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>& held);

}  // namespace tundrel
