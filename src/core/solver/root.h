// Where a function of one number is zero.
#pragma once
#include <cstdint>
#include <functional>

#include "../verification/stop_reason.h"

namespace tundrel {

struct RootPoint {
  double value, slope, curvature;
};

// How much of a point a method asks for.
enum class RootMethod { bracket, newton, halley };

struct RootSearch {
  RootMethod method = RootMethod::bracket;
  double lower, upper;  // where to look; infinite where there is no limit
  double start;         // for the methods that need no bracket
  double tolerance = 1e-12;
  std::int64_t most_evaluations = 1000;
};

struct RootAnswer {
  double x = 0, value = 0;
  double lower = 0, upper = 0;  // ends of other sign, as close as they have come; or the range searched
  bool converged = false;
  bool changes_sign = false;    // between the ends first given
  StopReason reason = StopReason::none;
  std::int64_t iterations = 0, evaluations = 0;
};

// Bracketing by inverse quadratic interpolation where it is safe and bisection elsewhere (Chandrupatla, 1997,
// Advances in Engineering Software 28, 145-149); Newton's iteration; Halley's, which is of third order. The last
// two keep a bracket where they have one, and else shorten steps until the function comes closer to zero. A sign that
// changes at a jump or a pole is no root, and is not called one.
RootAnswer find_root(const std::function<RootPoint(double)>& f, const RootSearch& search);

}  // namespace tundrel
