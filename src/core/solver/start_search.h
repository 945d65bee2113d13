// Where to begin: many points tried, linear parameters eliminated, the best walked on a little.
#pragma once
#include <vector>

#include "../problem/problem.h"

namespace tundrel {

// The best values of the parameters `linear`, given the others: one linear least-squares problem
// within bounds (variable projection; Golub and Pereyra, 1973). Leaves `x` where the model is not
// finite.
Eigen::VectorXd eliminate_linear(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& linear);

struct Start {
  Eigen::VectorXd x;
  double value;
};

// Tries every column of `points`, walks at most `iterations` from the best `finalists`, and returns
// those that ended apart from each other, best first. Where the problem's deadline comes before, half of the time
// goes to points, and walks end where they are.
std::vector<Start> search_starts(Problem& problem, const Eigen::MatrixXd& points, const std::vector<int>& linear,
                                 int finalists, int iterations);

}  // namespace tundrel
