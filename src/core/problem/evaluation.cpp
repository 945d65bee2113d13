#include "evaluation.h"

#include <algorithm>
#include <cmath>

#include "halted.h"

namespace tundrel {

void Evaluation::spend() {
  if (is_halted()) throw Halted(Halt::user);
  if (static_cast<double>(evaluations) >= most_evaluations) throw Halted(Halt::evaluations);
  if (out_of_time != Clock::time_point::max() && Clock::now() >= out_of_time) throw Halted(Halt::seconds);
  ++evaluations;
}

void Evaluation::keep(const Eigen::VectorXd& x, const Eigen::VectorXd& result, Clock::time_point began) const {
  if (!log || log->is_full()) return;
  const bool failed = !result.allFinite();
  const double value = !failed && result.size() == 1 ? result[0] : std::numeric_limits<double>::quiet_NaN();
  log->add({x, result, value, failed, std::chrono::duration<double>(Clock::now() - began).count(), reason});
}

void Evaluation::call_ahead(const Eigen::MatrixXd& points) {
  if (!batch || !log || log->is_full()) return;
  std::vector<Eigen::Index> fresh;
  for (Eigen::Index k = 0; k < points.cols(); ++k)
    if (!log->find(points.col(k))) fresh.push_back(k);
  const auto n = static_cast<Eigen::Index>(fresh.size());
  if (n < 2 || static_cast<double>(evaluations + n) > most_evaluations) return;
  if (out_of_time != Clock::time_point::max() && Clock::now() >= out_of_time) throw Halted(Halt::seconds);
  Eigen::MatrixXd wanted(points.rows(), n);
  for (Eigen::Index k = 0; k < n; ++k) wanted.col(k) = points.col(fresh[static_cast<std::size_t>(k)]);
  const Eigen::VectorXd values = batch(wanted);
  if (is_halted()) throw Halted(Halt::user);
  if (batch_results.cols() != n) return;  // rows too long to be sent: these calls are made one by one
  evaluations += n;
  for (Eigen::Index k = 0; k < n; ++k) {
    const Eigen::VectorXd result = batch_results.col(k);
    const bool failed = !result.allFinite();
    refused += failed;
    log->add({wanted.col(k), result, values[k], failed, std::numeric_limits<double>::quiet_NaN(), reason});
  }
}

void Evaluation::answered() const {
  if (is_halted()) throw Halted(Halt::user);
}

int Evaluation::affordable(int n) const {
  const double left = most_evaluations - static_cast<double>(evaluations);
  if (!(left >= 1)) throw Halted(Halt::evaluations);
  return static_cast<int>(std::min<double>(n, std::floor(left)));
}

void Evaluation::forget() {
  evaluations = refused = 0;
  best_met.resize(0);
  best_value = std::numeric_limits<double>::infinity();
}

}  // namespace tundrel
