#include "levenberg_marquardt.h"

#include <algorithm>
#include <limits>
#include <utility>

#include "../step/optimality.h"
#include "arrow_levenberg_marquardt.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver entry{{
    "levenberg_marquardt", false, "first (residuals)", {Form::squares}, Honours::none,
    {number_setting("first_radius", 1, 0, false), flag_setting("geodesic", false)},
    "least squares, from near or far", "other criteria",
    [](const SolverSettings& s) {
      return std::make_unique<LevenbergMarquardt>(LevenbergMarquardt::Settings{s.number("first_radius"), s.number("geodesic") != 0, s.number("tolerance")});
    },
    0,
    [](const SolverSettings& s) { return std::make_unique<ArrowLevenbergMarquardt>(s.number("tolerance")); }}};

constexpr double kEpsilon = std::numeric_limits<double>::epsilon();
constexpr double kInfinity = std::numeric_limits<double>::infinity();
// Share of the predicted reduction that a step must bring, and those that change the radius.
constexpr double kAccepted = 1e-4, kPoor = 0.25, kGood = 0.75;
// By how much the radius shrinks.
constexpr double kShorter = 0.5;
// Closing steps go on while each leaves less than this share of the reducible residual...
constexpr double kFastShare = 0.25;
// ... or, this many times, at least some less.
constexpr int kMostSlowSteps = 4;
// A closing step that moves no parameter by more than this share of itself is not worth an evaluation.
constexpr double kNothingLeft = 1e-13;
// Acceleration may be this share of the velocity (alpha of Transtrum and Sethna).
constexpr double kMostBend = 0.75;
// A step that differs by more than this share from the one without bounds was cut short.
constexpr double kCutShort = 1e-6;
// From this relative offset on, steps know how the residuals curve: then Newton's steps converge faster than any other...
constexpr double kNear = 1e-3;
// ... at a cost that is small for up to this many parameters, and smaller if it is announced one step before.
constexpr double kNearlyNear = 0.03;
constexpr int kFewParameters = 8;
// Values this close are equal but for rounding.
constexpr double kSameValue = 1e-11;

double scaled_length(const Eigen::VectorXd& scale, const Eigen::VectorXd& x) {
  double square = 0;
  for (Eigen::Index i = 0; i < x.size(); ++i) square += scale[i] * x[i] * (scale[i] * x[i]);
  return std::sqrt(square);
}

}  // namespace

void LevenbergMarquardt::look(Problem& problem, const Eigen::VectorXd& x) {
  there_->at.column_norms(there_->norms);
  there_->scale.resize(x.size());
  for (Eigen::Index i = 0; i < x.size(); ++i) there_->scale[i] = std::max(here_->scale[i], there_->norms[i]);
  there_->at.slope(slope_);
  find_unheld(problem, x, slope_, there_->unheld);
  there_->linear.set(there_->at.factor, there_->unheld, there_->scale, there_->at.projected);
  there_->gradient_norm = relative_offset(there_->linear.reducible(), there_->at, residual_scale(problem, x, there_->norms));
}

void LevenbergMarquardt::move_there(const Eigen::VectorXd& x) {
  here_.swap(there_);
  status_.x = x;
  status_.value = here_->at.value;
  status_.gradient_norm = here_->gradient_norm;
}

void LevenbergMarquardt::start(Problem& problem, const Eigen::VectorXd& x) {
  problem.squares()->expect_curvature(false);
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  closing_ = Closing::no;
  claim_ = StopReason::none;
  slow_steps_ = 0;
  here_->at.usable = false;
  here_->scale.setZero(x.size());
  Linearisation& at = there_->at;
  problem.squares()->linearise_into(x, at);
  if (!at.usable) {
    status_.value = at.value;
    status_.reason = StopReason::failed;
    return;
  }
  // A column that is still zero says nothing about scale: until it does, the typical size serves.
  const double residual = at.value > 0 ? at.residual_norm() : 1;
  for (int i = 0; i < x.size(); ++i)
    if (at.factor.col(i).isZero(0)) here_->scale[i] = residual / problem.bounds().typical[i];
  look(problem, x);
  move_there(x);
  const double length = scaled_length(here_->scale, x);
  radius_ = settings_.first_radius * (length > 0 ? length : here_->at.residual_norm());
  if (!(radius_ > 0)) radius_ = settings_.first_radius;
  if (status_.gradient_norm <= settings_.tolerance) begin_closing(problem, StopReason::gradient);
}

void LevenbergMarquardt::iterate(Problem& problem) {
  problem.squares()->expect_curvature(curves(kNearlyNear));
  if (closing_ == Closing::no)
    walk(problem);
  else
    close(problem);
}

bool LevenbergMarquardt::curves(double offset) const {
  return status_.x.size() <= kFewParameters && status_.gradient_norm <= offset;
}

void LevenbergMarquardt::begin_closing(Problem& problem, StopReason reason) {
  closing_ = Closing::gauss_newton;
  claim_ = reason;
  problem.refine();
}

// Bends a step as the model's surface does; not where a bound has cut it short.
LevenbergMarquardt::Bend LevenbergMarquardt::accelerate(Problem& problem, Eigen::VectorXd& step) const {
  const double damping = here_->linear.damping_within(radius_);
  const Eigen::VectorXd straight = here_->linear.within(radius_);
  Eigen::VectorXd bend;
  for (std::size_t k = 0; k < here_->unheld.size(); ++k)
    if (std::fabs(straight[k] - step[here_->unheld[k]] * here_->scale[here_->unheld[k]]) > kCutShort * straight.norm()) return Bend::none;
  if (!problem.squares()->bend_along(status_.x, step, bend)) return Bend::none;
  Eigen::VectorXd scaled(here_->unheld.size());
  for (std::size_t k = 0; k < here_->unheld.size(); ++k) scaled[k] = bend[here_->unheld[k]] / here_->scale[here_->unheld[k]];
  const Eigen::VectorXd acceleration = -0.5 * here_->linear.solve(damping, scaled);
  if (!(2 * acceleration.norm() <= kMostBend * straight.norm())) return Bend::too_much;
  Eigen::VectorXd bent = step;
  for (std::size_t k = 0; k < here_->unheld.size(); ++k) bent[here_->unheld[k]] += acceleration[k] / here_->scale[here_->unheld[k]];
  if (problem.bounds().reach_along(status_.x, bent) < 1) return Bend::none;
  step = bent;
  return Bend::added;
}

void LevenbergMarquardt::walk(Problem& problem) {
  const Eigen::VectorXd& x = status_.x;
  const double size = scaled_length(here_->scale, x);
  Eigen::VectorXd &to = to_, &step = step_;
  double length = 0, predicted = 0;
  double bending = 0;
  const bool newton = curves(kNear) && newton_step(problem, step, bending) && scaled_length(here_->scale, step) <= radius_;
  if (newton) {
    problem.bounds().go_along(x, step, 1, to);
    length = scaled_length(here_->scale, step);
    predicted = here_->at.promised(step) - bending;
    // The rest is for closing steps, where a value is not asked for what it cannot tell.
    if (predicted <= settings_.tolerance * here_->at.value) {
      begin_closing(problem, StopReason::value);
      closing_ = Closing::newton;
      return take_closing_step(problem);
    }
  }
  // Stopping parameters at their bounds can spoil a long step; a short one always leads down.
  for (; !newton; radius_ *= kShorter) {
    bounded_step(problem, x, here_->at, here_->unheld, here_->scale, radius_, here_->linear, step);
    problem.bounds().go_along(x, step, 1, to);
    step = to - x;
    length = scaled_length(here_->scale, step);
    predicted = here_->at.promised(step);
    if (predicted > 0 || !(length > kEpsilon * size)) break;
  }
  status_.step_norm = size > 0 ? length / size : length;
  if (!(length > 0) || !(predicted > 0)) {
    // Nothing left to gain by a linear step: all that remains is rounding.
    status_.action = "no further step";
    begin_closing(problem, StopReason::step);
    return;
  }

  Bend bend = Bend::none;
  if (settings_.geodesic && !newton) {
    bend = accelerate(problem, step);
    if (bend == Bend::too_much) {
      status_.action = "step refused: the path bends too much, region smaller";
      radius_ = kShorter * std::min(radius_, length);
      if (radius_ <= kEpsilon * size) status_.reason = StopReason::stalled;
      return;
    }
    if (bend == Bend::added) problem.bounds().go_along(x, step, 1, to);
  }
  const Linearisation& trial = there_->at;
  problem.squares()->linearise_into(to, there_->at);
  if (!trial.usable) {
    status_.action = "point refused: no finite value, region smaller";
    radius_ = kShorter * std::min(radius_, length);
    if (radius_ <= kEpsilon * size) status_.reason = StopReason::stalled;
    return;
  }
  const double before = here_->at.value;
  const double reduction = before - trial.value;
  const double ratio = reduction / predicted;
  if (ratio < kPoor)
    radius_ = kShorter * std::min(radius_, length);
  else if (ratio > kGood)
    radius_ = std::max(radius_, 2 * length);
  if (ratio >= kAccepted) {
    look(problem, to);
    move_there(to);
    status_.action = newton                ? "Newton step accepted"
                     : bend == Bend::added ? "bent step accepted"
                     : ratio < kPoor       ? "step accepted, region smaller"
                     : ratio > kGood       ? "step accepted, region larger"
                                           : "step accepted";
  } else {
    status_.action = "step refused, region smaller";
  }

  const double tolerance = settings_.tolerance;
  if (status_.gradient_norm <= tolerance)
    begin_closing(problem, StopReason::gradient);
  else if (std::fabs(reduction) <= tolerance * before && predicted <= tolerance * before &&
           ratio <= 2)
    begin_closing(problem, StopReason::value);
  else if (radius_ <= tolerance * size)
    begin_closing(problem, StopReason::step);
}

// Newton's step, where the second derivatives of the residuals can be had and it keeps within bounds; `bending` is what these
// add to the square of the linear model along it.
bool LevenbergMarquardt::newton_step(Problem& problem, Eigen::VectorXd& step, double& bending) {
  const std::vector<int>& unheld = here_->unheld;
  if (!problem.squares()->residual_curvature(status_.x, curvature_)) return false;
  const auto n = static_cast<Eigen::Index>(unheld.size());
  extra_.resize(n, n);
  for (Eigen::Index j = 0; j < n; ++j)
    for (Eigen::Index i = 0; i < n; ++i) extra_(i, j) = curvature_(unheld[i], unheld[j]) / (here_->scale[unheld[i]] * here_->scale[unheld[j]]);
  if (!here_->linear.with_curvature(extra_, part_)) return false;
  bending = 0;
  for (Eigen::Index j = 0; j < n; ++j)
    for (Eigen::Index i = 0; i < n; ++i) bending += part_[i] * extra_(i, j) * part_[j];
  step.setZero(status_.x.size());
  for (Eigen::Index k = 0; k < n; ++k) {
    const int i = unheld[k];
    step[i] = part_[k] / here_->scale[i];
    if (step[i] < problem.bounds().reach_down(i, status_.x[i]) || step[i] > problem.bounds().reach_up(i, status_.x[i])) return false;
  }
  return true;
}

// Undamped steps until they stop improving: what a test on value or step leaves undone, they finish.
void LevenbergMarquardt::close(Problem& problem) {
  problem.refine();  // again, for a solver that was stored while closing
  double bending = 0;
  if (closing_ == Closing::gauss_newton)
    bounded_step(problem, status_.x, here_->at, here_->unheld, here_->scale, kInfinity, here_->linear, step_);
  else if (!newton_step(problem, step_, bending))
    return end_closing_step(false, false);
  take_closing_step(problem);
}

// The one in `step_`, if it leads closer.
void LevenbergMarquardt::take_closing_step(Problem& problem) {
  const Eigen::VectorXd& x = status_.x;
  if ((step_.array().abs() <= kNothingLeft * x.array().abs()).all()) {
    status_.action = "no further step";
    status_.reason = claim_;
    return;
  }
  problem.bounds().go_along(x, step_, 1, to_);
  step_ = to_ - x;
  const double size = scaled_length(here_->scale, x), length = scaled_length(here_->scale, step_);
  bool better = false, fast = false;
  if (length > 0) problem.squares()->linearise_into(to_, there_->at);
  const double noise = kEpsilon * residual_scale(problem, x, here_->norms);
  if (length > 0 && there_->at.usable && there_->at.value <= here_->at.value * (1 + kSameValue) + noise * noise) {
    look(problem, to_);
    const double left = there_->linear.reducible(), before = here_->linear.reducible();
    better = left < before;
    fast = left < kFastShare * before;
    if (better) {
      move_there(to_);
      status_.step_norm = size > 0 ? length / size : length;
    }
  }
  end_closing_step(better, fast);
}

void LevenbergMarquardt::end_closing_step(bool better, bool fast) {
  status_.action = !better                            ? "closing step refused"
                   : closing_ == Closing::gauss_newton ? "closing step, Gauss-Newton"
                                                      : "closing step, Newton";
  if (fast) return;
  if (closing_ == Closing::gauss_newton)
    closing_ = Closing::newton;
  else if (!better || ++slow_steps_ >= kMostSlowSteps)
    status_.reason = claim_;
}

void LevenbergMarquardt::visit(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size();
  v.flag("usable", here_->at.usable);
  v.require(here_->at.usable || status_.reason == StopReason::failed, "usable");
  v.finite("factor", here_->at.factor, p, p);
  v.finite("projected", here_->at.projected, p);
  v.within("remainder", here_->at.remainder, 0, StateVisitor::kInfinity);
  v.within("scale", here_->scale, p, 0, StateVisitor::kInfinity);
  v.within("radius", radius_, 0, StateVisitor::kInfinity);
  v.whole("closing", closing_, 0, static_cast<double>(Closing::newton));
  visit_reason(v, "claim", claim_);
  v.small("slow_steps", slow_steps_);
  visit_places(v, "unheld", here_->unheld, p);
  here_->at.value = status_.value;
  here_->gradient_norm = status_.gradient_norm;
  if (!here_->at.usable) return;
  here_->at.column_norms(here_->norms);
  here_->linear.set(here_->at.factor, here_->unheld, here_->scale, here_->at.projected);
}

}  // namespace tundrel
