// All calls of a function of the user's: what they gave, how long they took and why they were made. No point is called twice.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <string>
#include <unordered_map>
#include <vector>

namespace tundrel {

enum class CallReason { known, start, search, step, derivatives, check, afterwards };

struct Call {
  Eigen::VectorXd x;
  Eigen::VectorXd result;  // what the function gave; empty where it was not kept
  double value = 0;        // of the criterion; not a number where it is not known, or the call failed
  bool failed = false;
  double seconds = 0;      // not a number where nobody looked
  CallReason reason = CallReason::known;
};

class CallLog {
 public:
  // Called with each call that is added, where set.
  std::function<void(const Call&)> added;
  // The call at this very point, or none.
  const Call* find(const Eigen::VectorXd& x) const;
  // Where there is no more room only the number of calls is kept.
  void add(Call call);
  // Of the call at this point.
  void set_value(const Eigen::VectorXd& x, double value);
  const std::vector<Call>& calls() const { return calls_; }
  bool is_full() const { return numbers_ >= kMostNumbers || calls_.size() >= kMostCalls; }

  // Whoever calls more often than this has calls that cost next to nothing.
  static constexpr double kMostNumbers = 4e6;
  static constexpr std::size_t kMostCalls = 50000;

 private:
  static std::string key(const Eigen::VectorXd& x);

  std::vector<Call> calls_;
  std::unordered_map<std::string, std::size_t> places_;
  double numbers_ = 0;
};

}  // namespace tundrel
