// Why a run ended.
#pragma once

namespace tundrel {

enum class StopReason {
  none,         // still going
  gradient, step, value, target, evaluations, iterations, seconds,
  stalled, diverged, infeasible, interrupted, failed
};

inline const char* name_of(StopReason reason) {
  static const char* const kNames[] = {"none",       "gradient", "step",     "value",    "target",
                                       "evaluations", "iterations", "seconds", "stalled", "diverged",
                                       "infeasible", "interrupted", "failed"};
  return kNames[static_cast<int>(reason)];
}

// The reasons that claim an optimum, and so have to be verified.
inline bool claims_optimum(StopReason reason) {
  return reason == StopReason::gradient || reason == StopReason::step || reason == StopReason::value;
}

}  // namespace tundrel
