// Limits of single parameters, closed or open on either side.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

namespace tundrel {

struct Bounds {
  Eigen::VectorXd lower, upper;               // infinite where there is no limit
  std::vector<bool> lower_open, upper_open;   // open: the limit itself is not allowed
  Eigen::VectorXd typical;                    // size at which each parameter is expected; > 0
  double precision = std::numeric_limits<double>::epsilon();  // to what share of their size values of a function of the user's are known

  // A step may use up this share of the distance to an open limit: close in a few steps, never on.
  static constexpr double kOpenShare = 0.995;
  // Within this share of its typical size a parameter counts as resting on an open limit.
  static constexpr double kRestingShare = 1e-9;

  // Of n parameters, without any limit.
  static Bounds none(Eigen::Index n) {
    const Eigen::VectorXd far = Eigen::VectorXd::Constant(n, std::numeric_limits<double>::infinity());
    const std::vector<bool> closed(static_cast<std::size_t>(n), false);
    Bounds out;
    out.lower = -far;
    out.upper = far;
    out.lower_open = out.upper_open = closed;
    out.typical = Eigen::VectorXd::Ones(n);
    return out;
  }
  // Those of some parameters.
  Bounds of(const std::vector<int>& which) const {
    const auto n = static_cast<Eigen::Index>(which.size());
    Bounds out;
    out.precision = precision;
    out.lower.resize(n);
    out.upper.resize(n);
    out.typical.resize(n);
    for (Eigen::Index k = 0; k < n; ++k) {
      const int i = which[static_cast<std::size_t>(k)];
      out.lower[k] = lower[i];
      out.upper[k] = upper[i];
      out.typical[k] = typical[i];
      out.lower_open.push_back(lower_open[i]);
      out.upper_open.push_back(upper_open[i]);
    }
    return out;
  }

  // The longest step down (not positive) and up (not negative) from `x` in parameter `i`.
  double reach_down(int i, double x) const {
    return (lower[i] - x) * (lower_open[i] ? kOpenShare : 1);
  }
  double reach_up(int i, double x) const {
    return (upper[i] - x) * (upper_open[i] ? kOpenShare : 1);
  }
  bool rests_low(int i, double x) const {
    return x - lower[i] <= kRestingShare * typical[i] && (lower_open[i] || x <= lower[i]);
  }
  bool rests_high(int i, double x) const {
    return upper[i] - x <= kRestingShare * typical[i] && (upper_open[i] || x >= upper[i]);
  }
  // A parameter held by its bound: it rests there and the value falls only outwards.
  bool holds(int i, double x, double slope) const {
    return slope > 0 ? rests_low(i, x) : slope < 0 && rests_high(i, x);
  }
  // x + step without rounding past a limit.
  double moved(int i, double x, double step) const {
    const double to = x + step;
    if (to <= lower[i]) return lower_open[i] ? x : lower[i];
    if (to >= upper[i]) return upper_open[i] ? x : upper[i];
    return to;
  }
  // The longest multiple of `direction` that keeps within the bounds.
  double reach_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction) const {
    double most = std::numeric_limits<double>::infinity();
    for (int i = 0; i < x.size(); ++i) {
      if (direction[i] > 0) most = std::min(most, reach_up(i, x[i]) / direction[i]);
      if (direction[i] < 0) most = std::min(most, reach_down(i, x[i]) / direction[i]);
    }
    return most;
  }
  // x + length * direction without rounding past a limit.
  Eigen::VectorXd along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, double length = 1) const {
    Eigen::VectorXd to;
    go_along(x, direction, length, to);
    return to;
  }
  void go_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, double length, Eigen::VectorXd& to) const {
    to.resize(x.size());
    for (int i = 0; i < x.size(); ++i) to[i] = direction[i] == 0 ? x[i] : moved(i, x[i], length * direction[i]);
  }
  // Of a step wanted in the parameters `moving`, those that would leave their limits are given the step to
  // the limit and are moving no longer. Returns whether there were any; if not, the step is filled in.
  bool stop_leaving(const Eigen::VectorXd& x, const Eigen::VectorXd& wanted, std::vector<int>& moving, Eigen::VectorXd& step) const {
    std::size_t n_inside = 0;
    for (std::size_t k = 0; k < moving.size(); ++k) {
      const int i = moving[k];
      const double down = reach_down(i, x[i]), up = reach_up(i, x[i]);
      const double one = wanted[static_cast<Eigen::Index>(k)];
      if (one < down || one > up)
        step[i] = one < down ? down : up;
      else
        moving[n_inside++] = i;
    }
    const bool some_left = n_inside < moving.size();
    moving.resize(n_inside);
    if (!some_left)
      for (std::size_t k = 0; k < n_inside; ++k) step[moving[k]] = wanted[static_cast<Eigen::Index>(k)];
    return some_left;
  }
};

}  // namespace tundrel
