// Fits of the same model to groups of rows, each to its own.
#pragma once
#include <cstdint>
#include "many_fits.h"

namespace tundrel {

// The rows of group k are those from first[k] up to first[k + 1]; its walk starts at column k of `starts`, where parameters
// have the sizes in column k of `typical`.
FitTable fit_groups(Problem& problem, const SolverMaker& make, const Eigen::MatrixXd& starts, const Eigen::MatrixXd& typical,
                    const Columns& measured, const std::vector<std::int64_t>& first, const Budget& budget);

}  // namespace tundrel
