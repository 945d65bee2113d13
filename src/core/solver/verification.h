// An answer checked afresh: is it an optimum, whatever the solver says?
#pragma once
#include <vector>

#include "../problem/problem.h"
#include "stop_reason.h"

namespace tundrel {

struct Verification {
  bool converged = false;
  StopReason reason = StopReason::none;  // stalled or diverged, where the claim does not hold
  double gradient_norm = 0;
  int n_alive = 0;             // parameters that no bound holds and the criterion feels
  int rank = 0;                // of the Jacobian in these
  std::vector<int> dead;       // parameters that the criterion does not feel here
  std::vector<int> runaway;    // parameters on their way towards infinity
  Linearisation at;
};

// The bound on the scaled projected gradient that an optimum has to meet.
constexpr double kOptimalGradient = 1e-6;

Verification verify(Problem& problem, const Eigen::VectorXd& x);

}  // namespace tundrel
