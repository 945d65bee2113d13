// What was solved last, by the inputs that were asked about: values, slopes and curvature ask for the same blocks of rows in turn.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cstring>
#include <mutex>
#include <vector>

#include "../expression/kernel.h"

namespace tundrel {

class BlockMemory {
 public:
  // Column `output` of what solve() gives for n rows of these inputs, a row a row, unless it is known.
  template <class Solve>
  void answer(const std::vector<Input>& inputs, int output, double* out, int n, const Solve& solve) {
    std::vector<double> asked{static_cast<double>(n)};
    for (const Input& input : inputs) asked.insert(asked.end(), input.data, input.data + (input.step == 0 ? 1 : n));
    const auto same = [&](const Kept& one) { return one.asked.size() == asked.size() && std::memcmp(one.asked.data(), asked.data(), asked.size() * sizeof(double)) == 0; };
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      const auto there = std::find_if(kept_.begin(), kept_.end(), same);
      if (there != kept_.end()) {
        std::copy_n(there->found.col(output).data(), n, out);
        return;
      }
    }
    Eigen::MatrixXd found = solve();
    std::copy_n(found.col(output).data(), n, out);
    const std::lock_guard<std::mutex> lock(mutex_);
    if (kept_.size() < kMostKept) kept_.resize(kept_.size() + 1);
    Kept& kept = kept_[next_++ % kMostKept % kept_.size()];
    kept.asked.swap(asked);
    kept.found.swap(found);
  }

 private:
  struct Kept {
    std::vector<double> asked;
    Eigen::MatrixXd found;
  };
  static constexpr std::size_t kMostKept = 64;
  std::mutex mutex_;
  std::vector<Kept> kept_;
  std::size_t next_ = 0;
};

}  // namespace tundrel
