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
