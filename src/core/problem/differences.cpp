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
constexpr double kFineShare = 0.1;
constexpr int kMostGrown = 6;

double size_of(const Eigen::VectorXd& x, int i, const Bounds& bounds, double share = kShare) {
  return std::max(std::fabs(x[i]), share * bounds.typical[i]);
}

// Would balance the error of the formula, h^4, with that of the values, precision / h, if functions changed over the size of their parameters.
// Many change over a tenth of it, as a narrow peak does with its place, and an exponential far out.
double fine_step(double size, const Bounds& bounds) { return kFineShare * std::pow(bounds.precision, 0.2) * size; }
// Balances the error of the formula, h^2, with that of the values, precision / h.
double central_step(double size, const Bounds& bounds) { return std::cbrt(bounds.precision) * size; }

}  // namespace

bool first_difference(const VectorFunction& f, const Eigen::VectorXd& x, const Eigen::VectorXd& at_x, int i,
                      const Bounds& bounds, Differences kind, Eigen::Ref<Eigen::VectorXd> out) {
  const double size = size_of(x, i, bounds);
  const auto moved = [&](double step) {
    Eigen::VectorXd to = x;
    to[i] += step;
    return f(to);
  };
  const double down = -bounds.reach_down(i, x[i]), up = bounds.reach_up(i, x[i]);
  if (kind == Differences::central) {
    const double h = central_step(size, bounds);
    if (h <= down && h <= up) {
      const double both = (x[i] + h) - (x[i] - h);
      out = (moved(h) - moved(-h)) / both;
      if (out.allFinite()) return true;
    }
  }
  if (kind == Differences::fine) {
    const double h = fine_step(size, bounds);
    if (2 * h <= down && 2 * h <= up) {
      out = (8 * (moved(h) - moved(-h)) - (moved(2 * h) - moved(-2 * h))) / (12 * h);
      if (out.allFinite()) return true;
    }
  }
  double h = std::sqrt(bounds.precision) * size;
  if (h > up) h = h <= down || down >= up ? -std::min(h, down) : up;
  if (h == 0) return false;
  h = (x[i] + h) - x[i];  // the step that is really taken
  // One-sided of order two, where a bound leaves no room on both sides, or there are no values on one of them.
  const bool second = kind != Differences::forward;
  if (second) h *= kOneSided;
  const auto one_sided = [&](double step) -> Eigen::VectorXd {
    if (second) return (4 * moved(step) - moved(2 * step) - 3 * at_x) / (2 * step);
    return (moved(step) - at_x) / step;
  };
  out = one_sided(h);
  if (out.allFinite()) return true;
  if (2 * std::fabs(h) > (h > 0 ? down : up)) return false;
  out = one_sided(-h);
  return out.allFinite();
}

namespace {

// Notes where a function is called, for a work that asks it for differences.
class Notes {
 public:
  explicit Notes(Eigen::Index parameters) : points_(parameters, 0) {}
  void add(const Eigen::VectorXd& x) {
    points_.conservativeResize(Eigen::NoChange, points_.cols() + 1);
    points_.rightCols(1) = x;
  }
  const Eigen::MatrixXd& points() const { return points_; }

 private:
  Eigen::MatrixXd points_;
};

}  // namespace

Eigen::MatrixXd difference_points(const Eigen::VectorXd& x, const std::vector<int>& parameters, const Bounds& bounds, Differences kind) {
  Notes notes(x.size());
  const Eigen::VectorXd nothing = Eigen::VectorXd::Zero(1);
  Eigen::VectorXd out(1);
  for (int i : parameters)
    first_difference([&](const Eigen::VectorXd& at) {
      notes.add(at);
      return nothing;
    }, x, nothing, i, bounds, kind, out);
  return notes.points();
}

double first_difference_noise(const Eigen::VectorXd& x, int i, const Bounds& bounds, double rounding, Differences kind) {
  const bool fine = kind == Differences::fine;
  const double size = size_of(x, i, bounds), h = fine ? fine_step(size, bounds) : central_step(size, bounds), far = fine ? 2 * h : h;
  const bool room = far <= -bounds.reach_down(i, x[i]) && far <= bounds.reach_up(i, x[i]);
  return room ? (fine ? 2 : 1) * rounding / h : 4 * rounding / (kOneSided * std::sqrt(bounds.precision) * size);
}

namespace {

// With the stencil moved as a whole by so many steps in each parameter.
bool leaning_second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x, const Eigen::VectorXd& lean,
                                const Bounds& bounds, double& rounding, Eigen::MatrixXd& out, Eigen::MatrixXd& noise) {
  const int p = static_cast<int>(x.size());
  Eigen::VectorXd h(p), centre = x;
  // Where no rounding is stated, that of the largest value met; on the way to a step, of those that were met at it.
  double largest = 0;
  const auto value = [&](const Eigen::VectorXd& to) {
    const double found = f(to);
    largest = std::max(largest, std::fabs(found));
    return found;
  };
  const auto told = [&] { return rounding > 0 ? rounding : bounds.precision * largest; };
  // Far out values are larger, and what they are the sum of as many times as the parameter is: so is their rounding, which is no bend.
  const auto told_at = [&](int i) {
    return std::max(told(), bounds.precision * largest) * std::max(1.0, (std::fabs(centre[i]) + h[i]) / size_of(x, i, bounds, kShareOfSecond));
  };
  // Close to a bound the stencil is moved inside as a whole. FALSE where there is no room for it.
  const auto place = [&](int i) {
    const double low = x[i] + bounds.reach_down(i, x[i]) + h[i], high = x[i] + bounds.reach_up(i, x[i]) - h[i];
    centre[i] = low <= high ? std::clamp(x[i] + lean[i] * h[i], low, high) : x[i];
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
  const auto bend = [&](int i, double share = 1) {
    largest = 0;
    return std::fabs(at(i, share, i, 0) - 2 * value(centre) + at(i, -share, i, 0));
  };
  // The size of a parameter may be a poor guess, as where a start was next to zero: steps that change nothing but last digits
  // grow until the function bends, as a parabola does.
  for (int i = 0; i < p; ++i) {
    const double first = h[i];
    double bent = bend(i), rounded = kBends * told_at(i);
    for (int grown = 0; grown < kMostGrown && bent <= rounded; ++grown) {
      h[i] *= kGrown;
      if (!place(i)) break;
      bent = bend(i);
      rounded = kBends * told_at(i);
    }
    const double half = h[i] > first ? bend(i, 0.5) / bent : 0.25;
    if (half > 0.1 && half < 0.6 && bent > rounded) continue;
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

}  // namespace

bool second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                        const Bounds& bounds, double& rounding, Eigen::MatrixXd& out, Eigen::MatrixXd& noise) {
  const double stated = rounding;
  Eigen::VectorXd lean = Eigen::VectorXd::Zero(x.size());
  if (leaning_second_differences(f, x, lean, bounds, rounding, out, noise)) return true;
  // Where there are no values on one side, the other is looked at.
  for (Eigen::Index i = 0; i < x.size(); ++i) {
    const double step = std::pow(bounds.precision, 0.25) * size_of(x, i, bounds, kShareOfSecond);
    const auto finite = [&](double by) {
      Eigen::VectorXd to = x;
      to[i] = bounds.moved(i, x[i], by);
      return std::isfinite(f(to));
    };
    if (!finite(step)) lean[i] = -1;
    else if (!finite(-step)) lean[i] = 1;
  }
  rounding = stated;
  return !lean.isZero() && leaning_second_differences(f, x, lean, bounds, rounding, out, noise);
}

bool sparing_second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                                const Bounds& bounds, double& rounding, Eigen::MatrixXd& out, Eigen::MatrixXd& noise) {
  const int p = static_cast<int>(x.size());
  Eigen::VectorXd h(p), up(p), down(p);
  const auto moved = [&](int i, double si, int j, double sj) {
    Eigen::VectorXd to = x;
    to[i] += si * h[i];
    if (j != i) to[j] += sj * h[j];
    return f(to);
  };
  for (int i = 0; i < p; ++i) {
    h[i] = central_step(size_of(x, i, bounds), bounds);
    if (h[i] > -bounds.reach_down(i, x[i]) || h[i] > bounds.reach_up(i, x[i])) return second_differences(f, x, bounds, rounding, out, noise);
  }
  const double middle = f(x);
  double largest = std::fabs(middle);
  out.resize(p, p);
  for (int i = 0; i < p; ++i) {
    up[i] = moved(i, 1, i, 0);
    down[i] = moved(i, -1, i, 0);
    largest = std::max({largest, std::fabs(up[i]), std::fabs(down[i])});
    out(i, i) = (up[i] - 2 * middle + down[i]) / (h[i] * h[i]);
    for (int j = 0; j < i; ++j)
      out(i, j) = out(j, i) = (moved(i, 1, j, 1) - up[i] - up[j] + middle) / (h[i] * h[j]);
  }
  if (!out.allFinite()) return second_differences(f, x, bounds, rounding, out, noise);
  if (!(rounding > 0)) rounding = bounds.precision * largest;
  noise = 4 * rounding * h.cwiseInverse() * h.cwiseInverse().transpose();
  return true;
}

Eigen::MatrixXd sparing_second_points(const Eigen::VectorXd& x, const Bounds& bounds) {
  Notes notes(x.size());
  double rounding = 1;
  Eigen::MatrixXd out, noise;
  for (int i = 0; i < x.size(); ++i)
    if (central_step(size_of(x, i, bounds), bounds) > std::min(-bounds.reach_down(i, x[i]), bounds.reach_up(i, x[i]))) return notes.points();
  sparing_second_differences([&](const Eigen::VectorXd& at) {
    notes.add(at);
    return 0.0;
  }, x, bounds, rounding, out, noise);
  return notes.points();
}

}  // namespace tundrel
