// A program run over all rows of a table.
#pragma once
#include <algorithm>
#include <vector>

#include "../expression/program.h"
#include "../threads.h"
#include "segments.h"

namespace tundrel {

// Keeps the memory of its last run: where tables are small and runs many, finding memory would cost more than the sums.
class Sweep {
 public:
  // Calls use(outputs, segment, first row, number of rows) for each block, segments shared out over threads.
  template <class Use>
  void run(const Program& program, const Eigen::VectorXd& x, const Columns& columns, const Segments& segments, int threads, const Use& use) {
    workspaces_.resize(std::max(1, std::min(threads, segments.count)));
    for (Program::Workspace& work : workspaces_) program.prepare(x.data(), columns.rows, work);
    const auto cover = [&](int thread, int segment) {
      Program::Workspace& work = workspaces_[thread];
      segments.for_each_block(segment, [&](long first, int n) {
        program.run_block(work, columns, first, n);
        use(work, segment, first, n);
      });
    };
    if (segments.count == 1)
      cover(0, 0);
    else
      share_out(segments.count, threads, cover);
  }

 private:
  std::vector<Program::Workspace> workspaces_;
};

}  // namespace tundrel
