#include "root.h"

#include <algorithm>
#include <cmath>

#include "../numbers.h"

namespace tundrel {
namespace {

// At a root the value is at most this share of what it was when the search began, or rounding of the root.
constexpr double kZero = 1e-6;
// Below this share of where it is looked for, a root is as good as at zero.
constexpr double kRootNothing = 1e-8;
// Steps are halved this often before a walk has stalled.
constexpr int kMostHalvings = 40;

bool same_sign(double a, double b) { return (a > 0) == (b > 0); }

class Search {
 public:
  Search(const std::function<RootPoint(double)>& f, const RootSearch& s) : f_(f), s_(s) {}

  RootAnswer bracket() {
    if (!begin_bracket()) return end(StopReason::infeasible);
    if (f_low_ == 0 || f_high_ == 0) {
      take(f_low_ == 0 ? low_ : high_, 0);
      return end(StopReason::value);
    }
    // The largest change of a continuous function within the width at which two points are distinct.
    const double steep = 10 * std::fabs(f_high_ - f_low_) / (high_ - low_);
    double a = high_, fa = f_high_, b = low_, fb = f_low_, c = a, fc = fa, t = 0.5;
    while (true) {
      const double x = a + t * (b - a), fx = at(x).value;
      ++answer_.iterations;
      if (!std::isfinite(fx)) return end(StopReason::failed);
      if (same_sign(fx, fa)) {
        c = a;
        fc = fa;
      } else {
        c = b;
        fc = fb;
        b = a;
        fb = fa;
      }
      a = x;
      fa = fx;
      const bool first = std::fabs(fa) < std::fabs(fb);
      take(first ? a : b, first ? fa : fb);
      answer_.lower = std::min(a, b);
      answer_.upper = std::max(a, b);
      rounding_ = steep * width_at(answer_.x);
      const double close = width_at(answer_.x) / std::fabs(b - a);
      if (close > 0.5 || answer_.value == 0) return end(answer_.value == 0 ? StopReason::value : StopReason::step);
      if (answer_.evaluations >= s_.most_evaluations) return end(StopReason::evaluations);
      // Interpolation is safe where three points lie on a curve without a turn.
      const double xi = (a - b) / (c - b), phi = (fa - fb) / (fc - fb);
      t = phi * phi < xi && (1 - phi) * (1 - phi) < 1 - xi
              ? fa / (fb - fa) * fc / (fb - fc) + (c - a) / (b - a) * fa / (fc - fa) * fb / (fc - fb)
              : 0.5;
      t = std::clamp(t, close, 1 - close);
    }
  }

  RootAnswer follow_slope() {
    if (std::isfinite(s_.lower) && std::isfinite(s_.upper)) begin_bracket();
    double x = std::clamp(s_.start, s_.lower, s_.upper);
    RootPoint here = at(x);
    first_ = std::max(first_, std::fabs(here.value));
    size_ = std::max(size_, std::fabs(x));
    take(x, here.value);
    if (!std::isfinite(here.value)) return end(StopReason::failed);
    while (here.value != 0) {
      if (answer_.evaluations >= s_.most_evaluations) return end(StopReason::evaluations);
      ++answer_.iterations;
      double step = -here.value / here.slope;
      if (s_.method == RootMethod::halley) {
        const double bent = here.slope + 0.5 * here.curvature * step;
        if (bent * here.slope > 0) step = -here.value / bent;
      }
      narrow(x, here.value);
      double to = x + step;
      if (!std::isfinite(to) || to < answer_.lower || to > answer_.upper) {
        if (answer_.changes_sign)
          to = 0.5 * (answer_.lower + answer_.upper);
        else if (std::isfinite(to))
          to = std::clamp(to, s_.lower, s_.upper);
        else
          return end(StopReason::stalled);
      }
      RootPoint there = at(to);
      for (int k = 0; k < kMostHalvings && !answer_.changes_sign && !(std::fabs(there.value) < std::fabs(here.value)); ++k) {
        if (std::fabs(to - x) <= width_at(x)) break;
        to = 0.5 * (x + to);
        there = at(to);
      }
      if (!std::isfinite(there.value)) return end(StopReason::failed);
      const bool short_step = std::fabs(to - x) <= width_at(x);
      if (std::fabs(there.value) <= std::fabs(here.value)) take(to, there.value);
      rounding_ = 4 * std::fabs(there.slope) * width_at(to);
      if (short_step) return end(StopReason::step);
      x = to;
      here = there;
    }
    return end(StopReason::value);
  }

 private:
  RootPoint at(double x) {
    ++answer_.evaluations;
    return f_(x);
  }
  void take(double x, double value) {
    answer_.x = x;
    answer_.value = value;
  }
  // How close two points may come.
  double width_at(double x) const { return s_.tolerance * std::max(std::fabs(x), kRootNothing * size_) + 2 * kEpsilon * std::fabs(x); }

  // Ends of other sign; an end that is a root is one.
  bool begin_bracket() {
    low_ = s_.lower;
    high_ = s_.upper;
    answer_.lower = low_;
    answer_.upper = high_;
    f_low_ = at(low_).value;
    f_high_ = at(high_).value;
    first_ = std::max(std::fabs(f_low_), std::fabs(f_high_));
    const bool low_is_nearer = !(std::fabs(f_high_) < std::fabs(f_low_));
    take(low_is_nearer ? low_ : high_, low_is_nearer ? f_low_ : f_high_);
    size_ = std::min(std::max(std::fabs(low_), std::fabs(high_)), high_ - low_);
    answer_.changes_sign = std::isfinite(f_low_) && std::isfinite(f_high_) && (!same_sign(f_low_, f_high_) || f_low_ == 0 || f_high_ == 0);
    return answer_.changes_sign;
  }
  void narrow(double x, double value) {
    if (!answer_.changes_sign || x < answer_.lower || x > answer_.upper) return;
    (same_sign(value, f_low_) ? answer_.lower : answer_.upper) = x;
  }
  // A claim is kept only where the value bears it out.
  RootAnswer end(StopReason reason) {
    if (!answer_.changes_sign) {
      answer_.lower = s_.lower;
      answer_.upper = s_.upper;
    }
    answer_.reason = reason;
    if (!claims_optimum(reason)) return answer_;
    answer_.converged = std::fabs(answer_.value) <= std::max(kZero * first_, rounding_);
    if (!answer_.converged) answer_.reason = std::fabs(answer_.value) > first_ ? StopReason::diverged : StopReason::stalled;
    return answer_;
  }

  const std::function<RootPoint(double)>& f_;
  const RootSearch s_;
  RootAnswer answer_;
  double low_ = 0, high_ = 0, f_low_ = 0, f_high_ = 0, first_ = 0, size_ = 0, rounding_ = 0;
};

}  // namespace

RootAnswer find_root(const std::function<RootPoint(double)>& f, const RootSearch& search) {
  Search s(f, search);
  return search.method == RootMethod::bracket ? s.bracket() : s.follow_slope();
}

}  // namespace tundrel
