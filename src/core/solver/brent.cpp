#include "brent.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver brent_entry{{
    "brent", false, "none", kAnyForm, Honours::none,
    {},
    "one parameter", "more than one parameter",
    [](const SolverSettings& s) { return std::make_unique<Brent>(Brent::Settings{s.number("tolerance")}); }, 1}};

constexpr double kGolden = 0.3819660112501051;
constexpr double kGrowth = 2.618033988749895;
// Values that are not finite count as very high.
double usable(double value) { return std::isfinite(value) ? value : std::numeric_limits<double>::max(); }

}  // namespace

void LineMinimum::begin(double start, double value, double step, double low, double high) {
  x_ = w_ = v_ = start;
  fx_ = fw_ = fv_ = usable(value);
  low_ = low;
  high_ = high;
  step_ = start + step <= high && start + step >= low ? step : -step;
  if (start + step_ > high) step_ = high - start;
  if (start + step_ < low) step_ = low - start;
  last_ = 0;
  bracketing_ = true;
  tried_other_side_ = false;
}

double LineMinimum::propose() {
  if (bracketing_) {
    asked_ = std::clamp(x_ + step_, low_, high_);
    action_ = "looking for a bracket";
    return asked_;
  }
  const double middle = 0.5 * (low_ + high_);
  double step = 0;
  bool parabola = false;
  const double older = last_;
  if (std::fabs(older) > 0 && fw_ < std::numeric_limits<double>::max() && fv_ < std::numeric_limits<double>::max()) {
    const double r = (x_ - w_) * (fx_ - fv_), q0 = (x_ - v_) * (fx_ - fw_);
    double p = (x_ - v_) * q0 - (x_ - w_) * r, q = 2 * (q0 - r);
    if (q > 0) p = -p;
    q = std::fabs(q);
    parabola = std::fabs(p) < std::fabs(0.5 * q * older) && p > q * (low_ - x_) && p < q * (high_ - x_);
    if (parabola) step = p / q;
  }
  if (!parabola) {
    last_ = (x_ < middle ? high_ : low_) - x_;
    step = kGolden * last_;
  } else {
    last_ = step_;
  }
  const double least = std::numeric_limits<double>::epsilon() * (std::fabs(x_) + std::fabs(high_ - low_));
  if (std::fabs(step) < least) step = std::copysign(least, step);
  step_ = step;
  asked_ = std::clamp(x_ + step, low_, high_);
  action_ = parabola ? "to the lowest point of a parabola" : "a share of the bracket";
  return asked_;
}

bool LineMinimum::record(double raw, double tolerance, double size) {
  const double u = asked_, fu = usable(raw);
  if (bracketing_) {
    if (fu < fx_) {
      // Downhill: the last point is behind, go further.
      (u > x_ ? low_ : high_) = x_;
      v_ = w_, fv_ = fw_, w_ = x_, fw_ = fx_;
      const bool at_end = u == (u > x_ ? high_ : low_);
      x_ = u, fx_ = fu;
      tried_other_side_ = true;
      step_ *= kGrowth;
      if (at_end) bracketing_ = false;
    } else {
      (u > x_ ? high_ : low_) = u;
      v_ = w_, fv_ = fw_, w_ = u, fw_ = fu;
      if (tried_other_side_ || x_ == (u > x_ ? low_ : high_)) {
        bracketing_ = false;
      } else {
        tried_other_side_ = true;
        step_ = -step_;
      }
    }
    if (!bracketing_) last_ = high_ - low_;
    return std::isfinite(x_ + step_) || !bracketing_;
  }
  if (fu <= fx_) {
    (u >= x_ ? low_ : high_) = x_;
    v_ = w_, fv_ = fw_, w_ = x_, fw_ = fx_, x_ = u, fx_ = fu;
  } else {
    (u < x_ ? low_ : high_) = u;
    if (fu <= fw_ || w_ == x_) {
      v_ = w_, fv_ = fw_, w_ = u, fw_ = fu;
    } else if (fu <= fv_ || v_ == x_ || v_ == w_) {
      v_ = u, fv_ = fu;
    }
  }
  const double near = tolerance * std::max(std::fabs(x_), size) + std::numeric_limits<double>::min();
  return std::max(x_ - low_, high_ - x_) > 2 * near;
}

void LineMinimum::visit(StateVisitor& v) {
  v.field("low", low_);
  v.field("high", high_);
  v.require(low_ <= high_, "high");
  v.within("best", x_, low_, high_);
  v.within("best_value", fx_, v.least_value(), kInfinity);
  v.field("second", w_);
  v.field("second_value", fw_);
  v.field("third", v_);
  v.field("third_value", fv_);
  v.field("step", step_);
  v.field("last_step", last_);
  v.field("asked", asked_);
  v.flag("bracketing", bracketing_);
  v.flag("tried_other_side", tried_other_side_);
}

void Brent::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  status_.value = problem.value(x);
  if (!std::isfinite(status_.value)) {
    status_.reason = StopReason::failed;
    return;
  }
  const Bounds& b = problem.bounds();
  line_.begin(x[0], status_.value, 0.1 * std::max(std::fabs(x[0]), b.typical[0]), x[0] + b.reach_down(0, x[0]), x[0] + b.reach_up(0, x[0]));
}

void Brent::iterate(Problem& problem) {
  Eigen::VectorXd to(1);
  to[0] = line_.propose();
  const double before = status_.x[0];
  const bool more = line_.record(problem.value(to), 1e-2 * tolerance_, problem.bounds().typical[0]);
  status_.action = line_.action();
  status_.x[0] = line_.best();
  status_.value = line_.best_value();
  status_.step_norm = std::fabs(status_.x[0] - before) / std::max(std::fabs(before), problem.bounds().typical[0]);
  if (!more) status_.reason = StopReason::step;
}

void Brent::visit(StateVisitor& v) {
  visit_status(v, status_);
  line_.visit(v);
}

}  // namespace tundrel
