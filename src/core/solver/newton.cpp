#include "newton.h"

#include <algorithm>
#include <cmath>

#include "../numbers.h"
#include "../step/optimality.h"
#include "../step/quadratic_step.h"
#include "../step/sizes.h"
#include "solver_table.h"
#include "trust_region.h"

namespace tundrel {
namespace {

const RegisteredSolver newton_entry{{
    "newton", false, "first and second", kWithoutKinks, Honours::none,
    {number_setting("first_radius", 1, 0, false)},
    "likelihoods and other smooth criteria", "many parameters",
    [](const SolverSettings& s) { return std::make_unique<Newton>(Newton::Settings{s.number("first_radius"), s.number("tolerance")}); }}};

constexpr double kNewtonShorter = 0.25;
// Closing steps go on while each leaves less than this share of the gradient; or some less, this often.
constexpr double kNewtonFastShare = 0.25;
constexpr int kNewtonMostSlowSteps = 4;
// Changes of the value below this share of it are rounding.
constexpr double kNewtonSameValue = 1e-13;

}  // namespace

void Newton::accept(Problem& problem, const Eigen::VectorXd& x, Expansion at) {
  at_ = std::move(at);
  status_.x = x;
  status_.value = at_.value;
  measure(problem);
}

// How far from optimal the point is.
void Newton::measure(Problem& problem) {
  sizes_ = parameter_sizes(problem, status_.x);
  unheld_ = unheld_parameters(problem, status_.x, at_.gradient);
  const QuadraticStep model = quadratic_step(at_, unheld_);
  convex_ = model.convex();
  status_.gradient_norm = scaled_decrement(problem, status_.x, at_, model.decrement());
}

void Newton::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  convex_ = closing_ = false;
  claim_ = StopReason::none;
  slow_steps_ = 0;
  Expansion at = problem.expand(x);
  if (!at.usable) {
    status_.value = at.value;
    status_.reason = StopReason::failed;
    return;
  }
  accept(problem, x, std::move(at));
  radius_ = settings_.first_radius;
  if (convex_ && status_.gradient_norm <= settings_.tolerance) begin_closing(problem, StopReason::gradient);
}

void Newton::renew(Problem& problem) {
  status_.reason = StopReason::none;
  closing_ = false;
  slow_steps_ = 0;
  radius_ = std::max(radius_, 1e-3 * settings_.first_radius);
  Expansion at = problem.expand(status_.x);
  if (at.usable)
    accept(problem, status_.x, std::move(at));
  else
    status_.reason = StopReason::failed;
}

void Newton::iterate(Problem& problem) {
  if (closing_)
    close(problem);
  else
    walk(problem);
}

void Newton::begin_closing(Problem& problem, StopReason reason) {
  closing_ = true;
  claim_ = reason;
  problem.refine();
}

void Newton::walk(Problem& problem) {
  Eigen::VectorXd to;
  double length = 0, predicted = 0;
  // Stopping parameters at their bounds can spoil a long step; a short one always leads down.
  for (;; radius_ *= kNewtonShorter) {
    to = problem.bounds().along(status_.x, bounded_quadratic_step(problem, status_.x, at_, unheld_, sizes_, radius_));
    const Eigen::VectorXd taken = to - status_.x;
    length = taken.cwiseQuotient(sizes_).norm();
    predicted = -predicted_change(at_, taken);
    if (predicted > 0 || !(length > kEpsilon)) break;
  }
  status_.step_norm = length;
  if (!(length > 0) || !(predicted > 0)) {
    status_.action = "no further step";
    begin_closing(problem, StopReason::step);
    return;
  }
  Expansion trial = problem.expand(to);
  if (!trial.usable) {
    status_.action = "point refused: no finite value, region smaller";
    radius_ = kNewtonShorter * std::min(radius_, length);
    if (radius_ <= kEpsilon) status_.reason = StopReason::stalled;
    return;
  }
  const double rounding = kNewtonSameValue * std::fabs(at_.value);
  const double reduction = at_.value - trial.value;
  // Where the change drowns in rounding the model is all there is to go by.
  const double ratio = predicted <= rounding && std::fabs(reduction) <= rounding ? 1 : reduction / predicted;
  if (ratio < kPoor)
    radius_ = kNewtonShorter * std::min(radius_, length);
  else if (ratio > kGood)
    radius_ = std::max(radius_, 2 * length);
  if (ratio >= kAccepted) {
    accept(problem, to, std::move(trial));
    status_.action = ratio < kPoor   ? "step accepted, region smaller"
                     : ratio > kGood ? "step accepted, region larger"
                                     : "step accepted";
  } else {
    status_.action = "step refused, region smaller";
  }
  const double tolerance = settings_.tolerance;
  if (convex_ && status_.gradient_norm <= tolerance)
    begin_closing(problem, StopReason::gradient);
  else if (std::fabs(reduction) <= rounding && predicted <= rounding)
    begin_closing(problem, StopReason::value);
  else if (radius_ <= tolerance)
    begin_closing(problem, StopReason::step);
}

// Undamped steps until they stop improving: what a test on value or step leaves undone, they finish.
void Newton::close(Problem& problem) {
  problem.refine();  // again, for a solver that was stored while closing
  bool better = false, fast = false;
  const Eigen::VectorXd step =
      bounded_quadratic_step(problem, status_.x, at_, unheld_, sizes_, kInfinity);
  const Eigen::VectorXd to = problem.bounds().along(status_.x, step);
  const double length = (to - status_.x).cwiseQuotient(sizes_).norm();
  if (convex_ && length > 0) {
    Expansion trial = problem.expand(to);
    if (trial.usable && trial.value <= at_.value + 1e2 * kNewtonSameValue * (std::fabs(at_.value) + 1e-3)) {
      const Newton before = *this;
      accept(problem, to, std::move(trial));
      better = convex_ && status_.gradient_norm < before.status_.gradient_norm;
      fast = better && status_.gradient_norm < kNewtonFastShare * before.status_.gradient_norm;
      if (better)
        status_.step_norm = length;
      else
        *this = before;
    }
  }
  status_.action = better ? "closing step, Newton" : "closing step refused";
  if (!fast && (!better || ++slow_steps_ >= kNewtonMostSlowSteps)) status_.reason = claim_;
}

void Newton::visit(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size();
  v.flag("usable", at_.usable);
  v.require(at_.usable || status_.reason == StopReason::failed, "usable");
  v.finite("gradient", at_.gradient, p);
  v.finite("hessian", at_.hessian, p, p);
  v.within("sizes", sizes_, p, 0, kInfinity);
  v.within("radius", radius_, 0, kInfinity);
  v.flag("convex", convex_);
  v.flag("closing", closing_);
  visit_reason(v, "claim", claim_);
  v.small("slow_steps", slow_steps_);
  visit_places(v, "unheld", unheld_, p);
  at_.value = status_.value;
}

}  // namespace tundrel
