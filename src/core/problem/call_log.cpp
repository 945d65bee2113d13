#include "call_log.h"

#include <utility>

namespace tundrel {

std::string CallLog::key(const Eigen::VectorXd& x) {
  // zero of either sign is one point
  const Eigen::VectorXd plain = x.array() + 0.0;
  return std::string(reinterpret_cast<const char*>(plain.data()), static_cast<std::size_t>(plain.size()) * sizeof(double));
}

const Call* CallLog::find(const Eigen::VectorXd& x) const {
  const auto found = places_.find(key(x));
  return found == places_.end() ? nullptr : &calls_[found->second];
}

void CallLog::add(Call call) {
  if (added) added(call);
  if (is_full()) return;
  numbers_ += static_cast<double>(call.x.size() + call.result.size());
  const std::string where = key(call.x);
  const auto found = places_.find(where);
  if (found != places_.end()) {
    // only what says more takes the place of what is known
    if (calls_[found->second].result.size() < call.result.size()) calls_[found->second] = std::move(call);
    return;
  }
  places_[where] = calls_.size();
  calls_.push_back(std::move(call));
}

void CallLog::set_value(const Eigen::VectorXd& x, double value) {
  const auto found = places_.find(key(x));
  if (found != places_.end()) calls_[found->second].value = value;
}

}  // namespace tundrel
