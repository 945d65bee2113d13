#include "differences.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

constexpr double kEpsilon = std::numeric_limits<double>::epsilon();

// Near zero a parameter is stepped by a share of its typical size. Second differences divide rounding by the square of
// a step, and need a larger one.
constexpr double kShare = 1e-3, kShareOfSecond = 0.1;

double size_of(const Eigen::VectorXd& x, int i, const Bounds& bounds, double share = kShare) {
  return std::max(std::fabs(x[i]), share * bounds.typical[i]);
}

}  // namespace

bool first_difference(const VectorFunction& f, const Eigen::VectorXd& x, const Eigen::VectorXd& at_x, int i,
                      const Bounds& bounds, bool central, Eigen::Ref<Eigen::VectorXd> out) {
  const double size = size_of(x, i, bounds);
  const auto moved = [&](double step) {
    Eigen::VectorXd to = x;
    to[i] += step;
    return f(to);
  };
  const double down = -bounds.reach_down(i, x[i]), up = bounds.reach_up(i, x[i]);
  if (central) {
    // Balances the error of the formula, h^4, with rounding, epsilon / h.
    const double h = std::pow(kEpsilon, 0.2) * size;
    if (2 * h <= down && 2 * h <= up) {
      out = (8 * (moved(h) - moved(-h)) - (moved(2 * h) - moved(-2 * h))) / (12 * h);
      if (out.allFinite()) return true;
    }
  }
  double h = std::sqrt(kEpsilon) * size;
  if (h > up) h = h <= down || down >= up ? -std::min(h, down) : up;
  if (h == 0) return false;
  h = (x[i] + h) - x[i];  // the step that is really taken
  if (central) {
    // One-sided of order two, where a bound leaves no room on both sides.
    h *= 100;
    out = (4 * moved(h) - moved(2 * h) - 3 * at_x) / (2 * h);
  } else {
    out = (moved(h) - at_x) / h;
  }
  return out.allFinite();
}

bool second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                        const Bounds& bounds, Eigen::MatrixXd& out) {
  const int p = static_cast<int>(x.size());
  Eigen::VectorXd h(p), centre = x;
  for (int i = 0; i < p; ++i) {
    h[i] = std::pow(kEpsilon, 0.25) * size_of(x, i, bounds, kShareOfSecond);
    // Close to a bound the stencil is moved inside as a whole.
    const double low = x[i] + bounds.reach_down(i, x[i]) + h[i], high = x[i] + bounds.reach_up(i, x[i]) - h[i];
    if (low <= high) centre[i] = std::clamp(x[i], low, high);
  }
  const auto at = [&](int i, double si, int j, double sj) {
    Eigen::VectorXd to = centre;
    to[i] += si * h[i];
    to[j] += sj * h[j];
    return f(to);
  };
  const double middle = f(centre);
  out.resize(p, p);
  for (int i = 0; i < p; ++i) {
    out(i, i) = (at(i, 1, i, 0) - 2 * middle + at(i, -1, i, 0)) / (h[i] * h[i]);
    for (int j = 0; j < i; ++j)
      out(i, j) = out(j, i) =
          (at(i, 1, j, 1) - at(i, 1, j, -1) - at(i, -1, j, 1) + at(i, -1, j, -1)) / (4 * h[i] * h[j]);
  }
  return out.allFinite();
}

}  // namespace tundrel
