#include "levenberg_marquardt.h"

#include <algorithm>
#include <utility>

#include "../numbers.h"
#include "../step/optimality.h"
#include "arrow_levenberg_marquardt.h"
#include "secant_levenberg_marquardt.h"
#include "solver_table.h"
#include "trust_region.h"

namespace tundrel {
namespace {

const RegisteredSolver levenberg_marquardt_entry{{
    "levenberg_marquardt", false, "first (residuals)", {Form::squares}, Honours::none,
    {number_setting("first_radius", 1, 0, false), flag_setting("geodesic", false)},
    "least squares, from near or far", "other criteria",
    [](const SolverSettings& s) -> std::unique_ptr<Solver> {
      if (s.word("derivatives") == "frugal") return std::make_unique<SecantLevenbergMarquardt>(s.number("first_radius"), s.number("tolerance"));
      return std::make_unique<LevenbergMarquardt>(LevenbergMarquardt::Settings{s.number("first_radius"), s.number("geodesic") != 0, s.number("tolerance")});
    },
    0,
    [](const SolverSettings& s) { return std::make_unique<ArrowLevenbergMarquardt>(s.number("tolerance")); }}};

// By how much the radius shrinks.
constexpr double kLevenbergShorter = 0.5;
// Closing steps go on while each leaves less than this share of the reducible residual...
constexpr double kLevenbergFastShare = 0.25;
// ... or, this many times, at least some less.
constexpr int kLevenbergMostSlowSteps = 4;
// A closing step that moves no parameter by more than this share of itself is not worth an evaluation.
constexpr double kLevenbergNothingLeft = 1e-13;
// From this relative offset on, steps know how the residuals curve: then Newton's steps converge faster than any other...
constexpr double kLevenbergNear = 1e-3;
// ... at a cost that is small for up to this many parameters, and smaller if it is announced one step before.
constexpr double kNearlyNear = 0.03;
constexpr int kFewParameters = 8;
// Below this relative offset second derivatives by differences are not worth their calls.
constexpr double kWorthCalls = 1e-7;
// Values this close are equal but for rounding.
constexpr double kLevenbergSameValue = 1e-11;

}  // namespace

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
  Linearisation& at = there_->at;
  problem.squares()->linearise_into(x, at);
  if (!at.usable) {
    status_.value = at.value;
    status_.reason = StopReason::failed;
    return;
  }
  there_->complete(problem, x, there_->first_scale(problem));
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
  Eigen::VectorXd second;
  if (here_->cut_short(step, radius_) || !problem.squares()->bend_along(status_.x, step, second)) return Bend::none;
  return here_->add_bend(problem, status_.x, second, radius_, step);
}

void LevenbergMarquardt::walk(Problem& problem) {
  const Eigen::VectorXd& x = status_.x;
  const double size = scaled_length(here_->scale, x);
  Eigen::VectorXd &to = to_, &step = step_;
  double length = 0, predicted = 0;
  double bending = 0;
  const bool newton = curves(kLevenbergNear) && newton_step(problem, step, bending) && scaled_length(here_->scale, step) <= radius_;
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
  for (; !newton; radius_ *= kLevenbergShorter) {
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
      radius_ = kLevenbergShorter * std::min(radius_, length);
      if (radius_ <= kEpsilon * size) status_.reason = StopReason::stalled;
      return;
    }
    if (bend == Bend::added) problem.bounds().go_along(x, step, 1, to);
  }
  const Linearisation& trial = there_->at;
  problem.squares()->linearise_into(to, there_->at);
  if (!trial.usable) {
    status_.action = "point refused: no finite value, region smaller";
    radius_ = kLevenbergShorter * std::min(radius_, length);
    if (radius_ <= kEpsilon * size) status_.reason = StopReason::stalled;
    return;
  }
  const double before = here_->at.value;
  const double reduction = before - trial.value;
  const double ratio = reduction / predicted;
  if (ratio < kPoor)
    radius_ = kLevenbergShorter * std::min(radius_, length);
  else if (ratio > kGood)
    radius_ = std::max(radius_, 2 * length);
  if (ratio >= kAccepted) {
    there_->complete(problem, to, here_->scale);
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

// Where the second derivatives of the residuals can be had; by differences for closing steps only.
bool LevenbergMarquardt::newton_step(Problem& problem, Eigen::VectorXd& step, double& bending) {
  Eigen::MatrixXd noise;
  const bool known = problem.squares()->residual_curvature(status_.x, curvature_) ||
                     (closing_ == Closing::newton && status_.gradient_norm > kWorthCalls && problem.squares()->verified_curvature(status_.x, curvature_, noise));
  return known && here_->newton_step(problem, status_.x, curvature_, step, bending);
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
  if ((step_.array().abs() <= kLevenbergNothingLeft * x.array().abs()).all()) {
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
  if (length > 0 && there_->at.usable && there_->at.value <= here_->at.value * (1 + kLevenbergSameValue) + noise * noise) {
    there_->complete(problem, to_, here_->scale);
    const double left = there_->linear.reducible(), before = here_->linear.reducible();
    better = left < before;
    fast = left < kLevenbergFastShare * before;
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
  else if (!better || ++slow_steps_ >= kLevenbergMostSlowSteps)
    status_.reason = claim_;
}

void LevenbergMarquardt::visit(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size();
  v.flag("usable", here_->at.usable);
  v.require(here_->at.usable || status_.reason == StopReason::failed, "usable");
  v.finite("factor", here_->at.factor, p, p);
  v.finite("projected", here_->at.projected, p);
  v.within("remainder", here_->at.remainder, 0, kInfinity);
  v.within("scale", here_->scale, p, 0, kInfinity);
  v.within("radius", radius_, 0, kInfinity);
  v.whole("closing", closing_, 0, static_cast<double>(Closing::newton));
  visit_reason(v, "claim", claim_);
  v.small("slow_steps", slow_steps_);
  visit_places(v, "unheld", here_->unheld, p);
  here_->at.value = status_.value;
  here_->gradient_norm = status_.gradient_norm;
  if (!here_->at.usable) return;
  here_->complete_stored();
}

}  // namespace tundrel
