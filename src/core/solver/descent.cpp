#include "descent.h"

#include <algorithm>
#include <cmath>

#include "../step/sizes.h"
#include "../step/optimality.h"

namespace tundrel {
namespace {

// So many steps in a row without change of value or point end a walk.
constexpr int kDescentMostIdle = 3;
constexpr double kDescentSameValue = 1e-15;

}  // namespace

bool Descent::begin(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  idle_ = 0;
  sizes_ = parameter_sizes(problem, x);
  Slope at = problem.slope(x);
  if (!at.usable) {
    status_.value = at.value;
    status_.reason = StopReason::failed;
    return false;
  }
  at_ = at;
  first_slope_ = 0;
  accept(problem, x, std::move(at));
  first_slope_ = free_gradient().norm();
  status_.gradient_norm = first_slope_ > 0 ? 1 : 0;
  if (first_slope_ == 0) status_.reason = StopReason::gradient;
  return true;
}

void Descent::accept(Problem& problem, const Eigen::VectorXd& x, Slope at) {
  at_ = std::move(at);
  status_.x = x;
  status_.value = at_.value;
  unheld_ = unheld_parameters(problem, x, at_.gradient);
  if (first_slope_ > 0) status_.gradient_norm = free_gradient().norm() / first_slope_;
}

Eigen::VectorXd Descent::free_gradient() const {
  Eigen::VectorXd out = Eigen::VectorXd::Zero(at_.gradient.size());
  for (int i : unheld_) out[i] = at_.gradient[i] * sizes_[i];
  return out;
}

void Descent::take(Problem& problem, const Eigen::VectorXd& x, Slope at, const char* action) {
  const double before = at_.value;
  status_.step_norm = (x - status_.x).cwiseQuotient(sizes_.cwiseMax(x.cwiseAbs())).norm();
  accept(problem, x, std::move(at));
  status_.action = action;
  const bool still = std::fabs(at_.value - before) <= kDescentSameValue * std::fabs(before);
  const bool short_step = status_.step_norm <= tolerance_ * 1e-3;
  idle_ = still || short_step ? idle_ + 1 : 0;
  // The value of a sum of squares that is met exactly falls without end: the slope falls with it.
  if (free_gradient().norm() <= tolerance_ * tolerance_ * first_slope_)
    status_.reason = StopReason::gradient;
  else if (idle_ >= kDescentMostIdle)
    status_.reason = still ? StopReason::value : StopReason::step;
}

void Descent::visit_descent(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size();
  v.flag("usable", at_.usable);
  v.require(at_.usable || status_.reason == StopReason::failed, "usable");
  v.finite("gradient", at_.gradient, p);
  v.within("sizes", sizes_, p, 0, kInfinity);
  v.field("first_slope", first_slope_);
  v.small("idle", idle_);
  visit_places(v, "unheld", unheld_, p);
  at_.value = status_.value;
}

}  // namespace tundrel
