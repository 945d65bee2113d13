// Fits of the same model to other measurements, as resampling asks for them.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../expression/program.h"
#include "../solver/many_starts.h"

namespace tundrel {

// What the measurements of each refit are: those there are, but with the rows named in a column of `rows` in their place
// and with a column of `values` in the place of column `replaced`. Either may have no columns.
struct Resampling {
  Eigen::MatrixXi rows;
  Eigen::MatrixXd values;
  int replaced = -1;

  int size() const { return static_cast<int>(std::max(rows.cols(), values.cols())); }
};

// A walk from `start` for each of them; the same whatever the number of the problem's threads. Where the problem takes
// no other measurements there are none.
std::vector<RunResult> refits(Problem& problem, const SolverMaker& make, const Eigen::VectorXd& start, const Columns& measured,
                              const Resampling& resampling, const Budget& budget);

}  // namespace tundrel
