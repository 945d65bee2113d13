// Fits of one model to many sets of measurements, shared out over threads.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <vector>

#include "../expression/program.h"
#include "../solver/many_starts.h"

namespace tundrel {

// What many fits come to, a column or an element each. Nothing else is kept of them.
struct FitTable {
  Eigen::MatrixXd x;
  Eigen::MatrixXd factor;  // of each fit's information, column after column; not a number where there is none
  Eigen::VectorXd value, gradient_norm;
  std::vector<char> converged;
  std::vector<StopReason> reason;
  std::vector<Progress> progress;
  std::vector<int> open;  // how many directions the measurements leave open

  FitTable() = default;
  FitTable(int parameters, int fits);
  int size() const { return static_cast<int>(x.cols()); }
  // Fits may be put in by several threads.
  void put(int k, const RunResult& run);
};

// A walk for each of n sets. set_up(problem, thread, k) has the thread's own problem read set k, and returns where the walk starts; `measured`
// is any set. Each walk is the one that it would be alone. An empty table where the problem takes no other measurements.
FitTable many_fits(Problem& problem, const SolverMaker& make, int n, const Columns& measured, const Budget& budget,
                   const std::function<Eigen::VectorXd(Problem& mine, int thread, int k)>& set_up);

}  // namespace tundrel
