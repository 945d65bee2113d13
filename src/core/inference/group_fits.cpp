#include "group_fits.h"

#include "../threads.h"

namespace tundrel {

std::vector<RunResult> fit_groups(Problem& problem, const SolverMaker& make, const Eigen::MatrixXd& starts, const Eigen::MatrixXd& typical,
                                  const Columns& measured, const std::vector<long>& first, const Budget& budget) {
  const int n = static_cast<int>(first.size()) - 1;
  const int workers = std::max(1, std::min(problem.threads, n));
  std::vector<std::unique_ptr<Problem>> own;
  for (int k = 0; k < workers; ++k) own.push_back(problem.clone());
  if (!own[0] || !own[0]->read(measured)) return {};
  std::vector<RunResult> results(n);
  share_out(n, workers, [&](int thread, int job) {
    Problem& mine = *own[thread];
    Columns rows = measured;
    for (const double*& column : rows.data) column += first[job];
    rows.rows = first[job + 1] - first[job];
    mine.read(rows);
    mine.evaluations = mine.refused = 0;
    mine.refined = false;
    mine.expect(typical.col(job));
    const auto solver = make();
    results[job] = run(mine, *solver, starts.col(job), budget, Keep::nothing);
  });
  return results;
}

}  // namespace tundrel
