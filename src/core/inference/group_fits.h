// Fits of the same model to groups of rows, each to its own.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../expression/program.h"
#include "../solver/many_starts.h"

namespace tundrel {

// A walk for each group. The rows of group k are those from first[k] up to first[k + 1]; it starts at column k of
// `starts`, where parameters have the sizes in column k of `typical`. Traces are not kept. Each walk is the one that it
// would be alone, whatever the number of the problem's threads. Where the problem takes no other measurements there are none.
std::vector<RunResult> fit_groups(Problem& problem, const SolverMaker& make, const Eigen::MatrixXd& starts, const Eigen::MatrixXd& typical,
                                  const Columns& measured, const std::vector<long>& first, const Budget& budget);

}  // namespace tundrel
