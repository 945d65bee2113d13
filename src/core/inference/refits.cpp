#include "refits.h"

#include <cstdint>

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
      for (std::int64_t i = 0; i < out.rows; ++i) taken_(i, place) = out.data[c][resampling_.rows(i, k)];
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

FitTable refits(Problem& problem, const SolverMaker& make, const Eigen::VectorXd& start, const Columns& measured,
                const Resampling& resampling, const Budget& budget) {
  std::vector<Resampled> data(std::max(1, problem.work.threads), Resampled(measured, resampling));
  return many_fits(problem, make, resampling.size(), measured, budget, [&](Problem& mine, int thread, int k) {
    mine.read(data[thread].columns(k));
    return start;
  });
}

}  // namespace tundrel
