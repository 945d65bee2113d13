// Fits of the same model to other measurements, as resampling asks for them.
#pragma once
#include "many_fits.h"

namespace tundrel {

// What the measurements of each refit are: those there are, but with the rows named in a column of `rows` in their place
// and with a column of `values` in the place of column `replaced`. Either may have no columns.
struct Resampling {
  Eigen::MatrixXi rows;
  Eigen::MatrixXd values;
  int replaced = -1;

  int size() const { return static_cast<int>(std::max(rows.cols(), values.cols())); }
};

// A walk from `start` for each of them.
FitTable refits(Problem& problem, const SolverMaker& make, const Eigen::VectorXd& start, const Columns& measured,
                const Resampling& resampling, const Budget& budget);

}  // namespace tundrel
