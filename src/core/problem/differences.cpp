#include "differences.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

// Near zero a parameter is stepped by a share of its typical size. Second differences divide rounding by the square of
// a step, and need a larger one.
constexpr double kShare = 1e-3, kShareOfSecond = 0.1;
// A one-sided difference of order two takes so many times the step of a forward one.
constexpr double kOneSided = 100;
// A function bends where its second difference is more than so many times the rounding of its values; by how much, and how often,
// a step grows that shows no bend.
constexpr double kBends = 1e3, kGrown = 100;
constexpr int kMostGrown = 6;

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
    // Balances the error of the formula, h^4, with that of the values, precision / h.
    const double h = std::pow(bounds.precision, 0.2) * size;
    if (2 * h <= down && 2 * h <= up) {
      out = (8 * (moved(h) - moved(-h)) - (moved(2 * h) - moved(-2 * h))) / (12 * h);
      if (out.allFinite()) return true;
    }
  }
  double h = std::sqrt(bounds.precision) * size;
  if (h > up) h = h <= down || down >= up ? -std::min(h, down) : up;
  if (h == 0) return false;
  h = (x[i] + h) - x[i];  // the step that is really taken
  if (central) {
    // One-sided of order two, where a bound leaves no room on both sides.
    h *= kOneSided;
    out = (4 * moved(h) - moved(2 * h) - 3 * at_x) / (2 * h);
  } else {
    out = (moved(h) - at_x) / h;
  }
  return out.allFinite();
}

double first_difference_noise(const Eigen::VectorXd& x, int i, const Bounds& bounds, double rounding) {
  const double size = size_of(x, i, bounds), h = std::pow(bounds.precision, 0.2) * size;
  const bool room = 2 * h <= -bounds.reach_down(i, x[i]) && 2 * h <= bounds.reach_up(i, x[i]);
  return room ? 2 * rounding / h : 4 * rounding / (kOneSided * std::sqrt(bounds.precision) * size);
}

bool second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                        const Bounds& bounds, double& rounding, Eigen::MatrixXd& out, Eigen::MatrixXd& noise) {
  const int p = static_cast<int>(x.size());
  Eigen::VectorXd h(p), centre = x;
  // Where no rounding is stated, that of the largest value met.
  double largest = 0;
  const auto value = [&](const Eigen::VectorXd& to) {
    const double found = f(to);
    largest = std::max(largest, std::fabs(found));
    return found;
  };
  const auto told = [&] { return rounding > 0 ? rounding : bounds.precision * largest; };
  // Close to a bound the stencil is moved inside as a whole. FALSE where there is no room for it.
  const auto place = [&](int i) {
    const double low = x[i] + bounds.reach_down(i, x[i]) + h[i], high = x[i] + bounds.reach_up(i, x[i]) - h[i];
    centre[i] = low <= high ? std::clamp(x[i], low, high) : x[i];
    return low <= high;
  };
  const auto at = [&](int i, double si, int j, double sj) {
    Eigen::VectorXd to = centre;
    to[i] += si * h[i];
    to[j] += sj * h[j];
    return value(to);
  };
  for (int i = 0; i < p; ++i) {
    h[i] = std::pow(bounds.precision, 0.25) * size_of(x, i, bounds, kShareOfSecond);
    place(i);
  }
  const auto bend = [&](int i, double share = 1) { return std::fabs(at(i, share, i, 0) - 2 * value(centre) + at(i, -share, i, 0)); };
  // The size of a parameter may be a poor guess, as where a start was next to zero: steps that change nothing but last digits
  // grow until the function bends, as a parabola does.
  for (int i = 0; i < p; ++i) {
    const double first = h[i];
    double bent = bend(i);
    for (int grown = 0; grown < kMostGrown && bent <= kBends * told(); ++grown) {
      h[i] *= kGrown;
      if (!place(i)) break;
      bent = bend(i);
    }
    const double half = h[i] > first ? bend(i, 0.5) / bent : 0.25;
    if (half > 0.1 && half < 0.6 && bent > kBends * told()) continue;
    h[i] = first;
    place(i);
  }
  // What was tried on the way to these steps is no part of the differences.
  largest = 0;
  const double middle = value(centre);
  out.resize(p, p);
  for (int i = 0; i < p; ++i) {
    out(i, i) = (at(i, 1, i, 0) - 2 * middle + at(i, -1, i, 0)) / (h[i] * h[i]);
    for (int j = 0; j < i; ++j)
      out(i, j) = out(j, i) =
          (at(i, 1, j, 1) - at(i, 1, j, -1) - at(i, -1, j, 1) + at(i, -1, j, -1)) / (4 * h[i] * h[j]);
  }
  rounding = told();
  noise = 4 * rounding * h.cwiseInverse() * h.cwiseInverse().transpose();
  return out.allFinite();
}

}  // namespace tundrel
