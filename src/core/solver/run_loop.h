// The loop around every solver: budget, trace, interrupts, and the verified end.
#pragma once
#include <functional>
#include <limits>
#include <vector>

#include "solver.h"
#include "verification.h"

namespace tundrel {

struct Budget {
  double evaluations = std::numeric_limits<double>::infinity();
  double iterations = std::numeric_limits<double>::infinity();
  double seconds = std::numeric_limits<double>::infinity();
};

struct TraceRow {
  long iteration, evaluations;
  double value, gradient_norm, step_norm, infeasibility;
  const char* action;
  Eigen::VectorXd x;
};

struct RunResult {
  Eigen::VectorXd x;
  double value = 0;
  bool converged = false;
  StopReason reason = StopReason::none;
  StopReason claim = StopReason::none;  // what the solver said, before it was verified
  long iterations = 0, evaluations = 0, refused = 0;
  double seconds = 0;
  std::vector<TraceRow> trace;
  Verification verification;
};

// What the outside may do during a run. It is asked once an iteration.
using Watcher = std::function<bool(const TraceRow&)>;  // FALSE interrupts

RunResult run(Problem& problem, Solver& solver, const Eigen::VectorXd& start, const Budget& budget,
              const Watcher& watcher);

}  // namespace tundrel
