// How evaluations are made: what they cost, what they may cost, and who may stop them.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <chrono>
#include <cstdint>
#include <functional>
#include <limits>
#include <memory>
#include <vector>

#include "call_log.h"

namespace tundrel {

struct Evaluation {
  using Clock = std::chrono::steady_clock;
  // Clocks count in whole ticks, which "never" is beyond.
  static Clock::duration ticks(double seconds) { return std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(std::min(seconds, 1e9))); }

  // Threads over which rows, or the points of Problem::values(), are shared out; and when values() ends early.
  int threads = 1;
  Clock::time_point deadline = Clock::time_point::max();
  // TRUE where the user has asked to stop; none where nobody can.
  std::function<bool()> halted;
  bool is_halted() const { return halted && halted(); }
  // Computes the values of all columns at once, where set.
  std::function<Eigen::VectorXd(const Eigen::MatrixXd& points)> batch;
  // The same, but comes back with what is there as soon as some is. Of the others, which are marked, the values are still to come: they are asked
  // for again, which begins nothing anew.
  std::function<Eigen::VectorXd(const Eigen::MatrixXd& points, std::vector<bool>& to_come)> late;
  // What the function gave at the columns of the last batch, a column each, where it gives rows; else without columns.
  Eigen::MatrixXd batch_results;

  // Up to how many evaluations and until when a function of the user's is called.
  double most_evaluations = std::numeric_limits<double>::infinity();
  Clock::time_point out_of_time = Clock::time_point::max();

  std::int64_t evaluations = 0;
  std::int64_t refused = 0;  // evaluations that gave no finite number
  // The best that was met by calls of the user's function, whatever they were for; empty where there is none.
  Eigen::VectorXd best_met;
  double best_value = std::numeric_limits<double>::infinity();

  // What the function of the user's gave so far, where that is kept; and what it is called for now.
  std::shared_ptr<CallLog> log;
  CallReason reason = CallReason::step;
  // A call at this point that is known, or none.
  const Call* known(const Eigen::VectorXd& x) const { return log ? log->find(x) : nullptr; }
  void keep(const Eigen::VectorXd& x, const Eigen::VectorXd& result, Clock::time_point began) const;

  // Where other processes evaluate: calls at all columns at once that are not known, so that they are when they are asked for one by one. Nothing
  // is called where they are more than may be.
  void call_ahead(const Eigen::MatrixXd& points);
  // Before each call of a function of the user's; throws Halted where what is allowed is spent.
  void spend();
  // After it: what a call gives that the user stopped in its midst is no value.
  void answered() const;
  // How many of `n` calls may still be made; throws where none may.
  int affordable(int n) const;
  // No best point so far, and no evaluations.
  void forget();
};

// What calls are made for, as long as this lasts; what is called for a check is called for nothing else.
class CalledFor {
 public:
  CalledFor(Evaluation& work, CallReason reason) : work_(work), before_(work.reason) {
    if (before_ != CallReason::check) work.reason = reason;
  }
  ~CalledFor() { work_.reason = before_; }
  CalledFor(const CalledFor&) = delete;
  CalledFor& operator=(const CalledFor&) = delete;

 private:
  Evaluation& work_;
  CallReason before_;
};

}  // namespace tundrel
