// Information about the parameters, as a matrix whose square it is.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

// Curvatures below this share of the largest are rounding, in units in which each parameter's is one.
constexpr double kFlat = 1e-12;

// F with F'F = the symmetric matrix, in the rows and columns `moving`; zero in the others. Eigenvalues
// below zero, or lost in rounding, count as zero. The diagonal is made 1 first, so that units do not
// matter.
Eigen::MatrixXd symmetric_factor(const Eigen::MatrixXd& matrix, const std::vector<int>& moving);

// F such that the inverse of F'F is the sandwich inverse(H) S'S inverse(H) (Huber, 1967): `slopes` is S. Nothing is known along
// directions in which H is flat.
Eigen::MatrixXd sandwich_factor(const Eigen::MatrixXd& hessian, const Eigen::MatrixXd& slopes,
                                const std::vector<int>& moving);

// F with rows added for the conditions `which` (columns of `slopes`; -1 is skipped) that what they say is
// known `certain` times better than the data tell it.
Eigen::MatrixXd with_certain_rows(const Eigen::MatrixXd& factor, const Eigen::MatrixXd& slopes, const std::vector<int>& which,
                                  double certain);

// Whichever of these, or the expected information, tells the uncertainty of a problem's parameters at an
// optimum: the inverse of F'F is their covariance, but for a scale.
Eigen::MatrixXd information_factor(Problem& problem, const Eigen::VectorXd& x, const Expansion& at,
                                   const std::vector<int>& moving);

}  // namespace tundrel
