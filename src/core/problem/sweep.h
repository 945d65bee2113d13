// A program run over all rows of a problem's table.
#pragma once
#include <algorithm>
#include <atomic>
#include <cstdint>
#include <vector>

#include "../expression/program.h"
#include "../threads.h"
#include "evaluation.h"
#include "halted.h"
#include "segments.h"

namespace tundrel {

// Keeps the memory of its last run: where tables are small and runs many, finding memory would cost more than the sums.
class Sweep {
 public:
  Sweep() = default;
  // A copy finds memory of its own.
  Sweep(const Sweep&) {}
  Sweep& operator=(const Sweep&) { return *this; }

  // Long enough for the user to want to stop it in the middle; then it throws Halted.
  static bool is_long(const Segments& segments) { return segments.count > 1; }

  // Calls use(outputs, segment, first row, number of rows) for each block, segments shared out over threads.
  template <class Use>
  void run(const Evaluation& evaluation, const Program& program, const Eigen::VectorXd& x, const Columns& columns, const Segments& segments, const Use& use) {
    workspaces_.resize(std::max(1, std::min(evaluation.threads, segments.count)));
    for (Program::Workspace& work : workspaces_) program.prepare(x.data(), columns, work);
    const auto cover = [&](int thread, int segment) {
      Program::Workspace& work = workspaces_[thread];
      segments.for_each_block(segment, [&](std::int64_t first, int n) {
        program.run_block(work, columns, first, n);
        use(work, segment, first, n);
      });
      if (columns.passed) columns.passed(segments.first(segment), segments.end(segment));
    };
    if (!is_long(segments)) return cover(0, 0);
    std::atomic<bool> halted{false};
    share_out(segments.count, evaluation.threads, [&](int thread, int segment) {
      if (thread == 0 && evaluation.is_halted()) halted = true;
      if (!halted) cover(thread, segment);
    });
    if (halted) throw Halted();
  }

 private:
  std::vector<Program::Workspace> workspaces_;
};

}  // namespace tundrel
