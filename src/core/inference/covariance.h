// What the Jacobian's triangle says about uncertainty.
#pragma once
#include <Eigen/Core>

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

}  // namespace tundrel
