#include "many_fits.h"

#include <algorithm>
#include <limits>

#include "../threads.h"

namespace tundrel {

FitTable::FitTable(int parameters, int fits)
    : x(parameters, fits),
      factor(Eigen::MatrixXd::Constant(parameters * parameters, fits, std::numeric_limits<double>::quiet_NaN())),
      value(fits),
      gradient_norm(fits),
      converged(fits),
      reason(fits),
      progress(fits),
      open(fits) {}

void FitTable::put(int k, const RunResult& run) {
  const Verification& v = run.verification;
  x.col(k) = run.x;
  if (v.factor.size() == factor.rows()) factor.col(k) = Eigen::Map<const Eigen::VectorXd>(v.factor.data(), v.factor.size());
  value[k] = run.value;
  gradient_norm[k] = v.gradient_norm;
  converged[k] = run.converged;
  reason[k] = run.reason;
  progress[k] = run.progress;
  open[k] = static_cast<int>(v.dead.size()) + v.n_alive - v.rank;
}

FitTable many_fits(Problem& problem, const SolverMaker& make, int n, const Columns& measured, const Budget& budget,
                   const std::function<Eigen::VectorXd(Problem& mine, int thread, int k)>& set_up) {
  const int workers = std::max(1, std::min(problem.work.threads, n));
  std::vector<std::unique_ptr<Problem>> own;
  for (int k = 0; k < workers; ++k) own.push_back(problem.clone());
  if (!own[0] || !own[0]->read(measured)) return {};
  const auto solvers = one_each(make, workers);
  FitTable table(problem.size(), n);
  share_out(n, workers, [&](int thread, int k) {
    Problem& mine = *own[thread];
    const Eigen::VectorXd start = set_up(mine, thread, k);
    mine.work.forget();
    mine.refined = false;
    table.put(k, run(mine, *solvers[thread], start, budget, Keep::nothing));
  });
  return table;
}

}  // namespace tundrel
