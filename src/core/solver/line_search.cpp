#include "line_search.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

// Share of the promised fall that the value has to bring.
constexpr double kLineEnoughFall = 1e-4;
constexpr int kMostTrials = 40;
// Values this close are equal but for rounding: then the slope decides.
constexpr double kLineSameValue = 1e-14;

struct Trial {
  double length, value, slope;
};

// The lowest point of the cubic through two trials, kept away from both.
double between(const Trial& a, const Trial& b) {
  const double width = b.length - a.length;
  const double d1 = a.slope + b.slope - 3 * (a.value - b.value) / (a.length - b.length);
  const double root = d1 * d1 - a.slope * b.slope;
  double share = 0.5;
  if (root >= 0) {
    const double d2 = std::copysign(std::sqrt(root), width);
    share = 1 - (b.slope + d2 - d1) / (b.slope - a.slope + 2 * d2);
  }
  if (!(share > 0.1)) share = 0.1;
  if (share > 0.9) share = 0.9;
  return a.length + share * width;
}

}  // namespace

LineResult search_line(Problem& problem, const Eigen::VectorXd& x, const Slope& from, const Eigen::VectorXd& direction,
                       double first, double most, double flatness) {
  const double promised = from.gradient.dot(direction);
  const double rounding = kLineSameValue * std::fabs(from.value);
  LineResult best;
  if (!(promised < 0) || !(most > 0)) return best;
  const auto fallen_enough = [&](const Trial& t) { return t.value <= from.value + kLineEnoughFall * t.length * promised + rounding; };
  Trial low{0, from.value, promised}, high{0, 0, 0};
  bool bracketed = false;
  double length = std::min(first, most);
  for (int k = 0; k < kMostTrials; ++k) {
    const Eigen::VectorXd to = problem.bounds().along(x, direction, length);
    const Slope at = problem.slope(to);
    if (!at.usable) {
      // Further out the criterion is not finite.
      most = length;
      if (bracketed) high = {length, std::numeric_limits<double>::max(), 0};
      length = low.length + 0.25 * (length - low.length);
      if (!(length > low.length)) break;
      continue;
    }
    const Trial trial{length, at.value, at.gradient.dot(direction)};
    const bool lower = fallen_enough(trial) && (trial.value <= low.value + rounding);
    if (lower && (!best.found || at.value <= best.at.value)) best = {true, length, to, at};
    if (lower && std::fabs(trial.slope) <= -flatness * promised) return best = {true, length, to, at};
    if (!lower) {
      high = trial;
      bracketed = true;
    } else if (trial.slope >= 0) {
      high = low;
      low = trial;
      bracketed = true;
    } else {
      if (bracketed && (high.length - low.length) * trial.slope >= 0) high = low;
      low = trial;
    }
    if (bracketed) {
      if (std::fabs(high.length - low.length) <= 1e-12 * std::max(length, std::fabs(high.length))) break;
      length = high.value == std::numeric_limits<double>::max() ? 0.5 * (low.length + high.length) : between(low, high);
    } else {
      if (length >= most) break;
      length = std::min(most, 4 * length);
    }
  }
  return best;
}

}  // namespace tundrel
