// Limits of single parameters, closed or open on either side.
#pragma once
#include <Eigen/Core>
#include <cmath>
#include <vector>

namespace tundrel {

struct Bounds {
  Eigen::VectorXd lower, upper;               // infinite where there is no limit
  std::vector<bool> lower_open, upper_open;   // open: the limit itself is not allowed
  Eigen::VectorXd typical;                    // size at which each parameter is expected; > 0

  // A step may use up this share of the distance to an open limit: close in a few steps, never on.
  static constexpr double kOpenShare = 0.995;
  // Within this share of its typical size a parameter counts as resting on an open limit.
  static constexpr double kRestingShare = 1e-9;

  // The longest step down (not positive) and up (not negative) from `x` in parameter `i`.
  double reach_down(int i, double x) const {
    return (lower[i] - x) * (lower_open[i] ? kOpenShare : 1);
  }
  double reach_up(int i, double x) const {
    return (upper[i] - x) * (upper_open[i] ? kOpenShare : 1);
  }
  bool rests_low(int i, double x) const {
    return lower_open[i] ? x - lower[i] <= kRestingShare * typical[i] : x <= lower[i];
  }
  bool rests_high(int i, double x) const {
    return upper_open[i] ? upper[i] - x <= kRestingShare * typical[i] : x >= upper[i];
  }
  // A parameter held by its bound: it rests there and the value falls only outwards.
  bool holds(int i, double x, double slope) const {
    return (rests_low(i, x) && slope > 0) || (rests_high(i, x) && slope < 0);
  }
  // x + step without rounding past a limit.
  double moved(int i, double x, double step) const {
    const double to = x + step;
    if (to < lower[i] || (lower_open[i] && to == lower[i])) return lower_open[i] ? x : lower[i];
    if (to > upper[i] || (upper_open[i] && to == upper[i])) return upper_open[i] ? x : upper[i];
    return to;
  }
};

}  // namespace tundrel
