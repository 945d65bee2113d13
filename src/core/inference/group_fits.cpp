#include "group_fits.h"

#include <cstdint>

namespace tundrel {

FitTable fit_groups(Problem& problem, const SolverMaker& make, const Eigen::MatrixXd& starts, const Eigen::MatrixXd& typical,
                    const Columns& measured, const std::vector<std::int64_t>& first, const Budget& budget) {
  std::vector<Columns> tables(std::max(1, problem.work.threads), measured);
  return many_fits(problem, make, static_cast<int>(first.size()) - 1, measured, budget, [&](Problem& mine, int thread, int k) {
    Columns& rows = tables[thread];
    rows.show(measured, first[k], first[k + 1]);
    mine.read(rows);
    mine.expect(typical.col(k));
    return starts.col(k);
  });
}

}  // namespace tundrel
