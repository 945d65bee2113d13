// Strictly convex quadratic programs with linear equalities and inequalities.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace tundrel {

// Minimise x'Gx / 2 + a'x subject to normals.col(i)'x = offsets[i] for the first `n_equalities`
// constraints and >= for the others.
struct QuadraticProgram {
  Eigen::MatrixXd curvature;  // G, positive definite
  Eigen::VectorXd slope;      // a
  Eigen::MatrixXd normals;    // a column a constraint
  Eigen::VectorXd offsets;
  int n_equalities = 0;
  double slack = 0;           // a constraint missed by this length in x is met
};

struct QuadraticSolution {
  bool feasible = false;
  Eigen::VectorXd x;
  Eigen::VectorXd multipliers;  // one a constraint; zero where it is not active
};

// The dual active-set method of Goldfarb and Idnani (1983, Mathematical Programming 27, 1-33): starts
// at the minimum without constraints and takes in one violated constraint after the other.
QuadraticSolution solve(const QuadraticProgram& program);

}  // namespace tundrel
