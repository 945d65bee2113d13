#include "run_loop.h"

#include <chrono>

namespace tundrel {

RunResult run(Problem& problem, Solver& solver, const Eigen::VectorXd& start, const Budget& budget,
              const Watcher& watcher) {
  using Clock = std::chrono::steady_clock;
  const Clock::time_point began = Clock::now();
  RunResult result;
  const auto seconds = [&] { return std::chrono::duration<double>(Clock::now() - began).count(); };
  const auto record = [&] {
    const Status& s = solver.status();
    result.trace.push_back({result.iterations, problem.evaluations, s.value, s.gradient_norm,
                            s.step_norm, s.infeasibility, s.action, s.x});
    return watcher(result.trace.back());
  };

  solver.start(problem, start);
  bool go_on = record();
  StopReason reason = solver.status().reason;
  while (reason == StopReason::none) {
    if (!go_on)
      reason = StopReason::interrupted;
    else if (static_cast<double>(problem.evaluations) >= budget.evaluations)
      reason = StopReason::evaluations;
    else if (static_cast<double>(result.iterations) >= budget.iterations)
      reason = StopReason::iterations;
    else if (seconds() >= budget.seconds)
      reason = StopReason::seconds;
    if (reason != StopReason::none) break;
    solver.iterate(problem);
    ++result.iterations;
    go_on = record();
    reason = solver.status().reason;
  }

  result.x = solver.status().x;
  result.value = solver.status().value;
  result.evaluations = problem.evaluations;
  result.refused = problem.refused;
  result.claim = result.reason = reason;
  if (result.reason != StopReason::failed) {
    result.verification = verify(problem, result.x);
    if (claims_optimum(reason)) {
      result.converged = result.verification.converged;
      if (!result.converged) result.reason = result.verification.reason;
    }
  }
  result.seconds = seconds();
  return result;
}

}  // namespace tundrel
