#include "refits.h"

#include "../threads.h"

namespace tundrel {
namespace {

// The measurements of one refit, with room for what differs from those there are.
class Resampled {
 public:
  Resampled(const Columns& measured, const Resampling& resampling) : measured_(measured), resampling_(resampling) {}

  Columns columns(int k) {
    Columns out = measured_;
    if (resampling_.values.cols() > 0) out.data.at(resampling_.replaced) = resampling_.values.col(k).data();
    if (resampling_.rows.cols() == 0) return out;
    out.rows = resampling_.rows.rows();
    taken_.resize(out.rows, static_cast<Eigen::Index>(out.data.size()));
    for (std::size_t c = 0; c < out.data.size(); ++c) {
      const auto place = static_cast<Eigen::Index>(c);
      for (long i = 0; i < out.rows; ++i) taken_(i, place) = out.data[c][resampling_.rows(i, k)];
      out.data[c] = taken_.col(place).data();
    }
    return out;
  }

 private:
  const Columns& measured_;
  const Resampling& resampling_;
  Eigen::MatrixXd taken_;
};

}  // namespace

std::vector<RunResult> refits(Problem& problem, const SolverMaker& make, const Eigen::VectorXd& start, const Columns& measured,
                              const Resampling& resampling, const Budget& budget) {
  const int n = resampling.size();
  const int workers = std::max(1, std::min(problem.threads, n));
  std::vector<std::unique_ptr<Problem>> own;
  std::vector<Resampled> data(workers, Resampled(measured, resampling));
  for (int k = 0; k < workers; ++k) own.push_back(problem.clone());
  if (!own[0] || !own[0]->read(measured)) return {};
  std::vector<RunResult> results(n);
  share_out(n, workers, [&](int thread, int job) {
    Problem& mine = *own[thread];
    mine.read(data[thread].columns(job));
    mine.evaluations = mine.refused = 0;
    mine.refined = false;
    const auto solver = make();
    results[job] = run(mine, *solver, start, budget, Keep::nothing);
  });
  return results;
}

}  // namespace tundrel
