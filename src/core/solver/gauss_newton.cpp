#include "gauss_newton.h"

#include <cmath>
#include <limits>

#include "line_search.h"
#include "../step/linear_step.h"
#include "../step/optimality.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver gauss_newton_entry{{
    "gauss_newton", false, "first (residuals)", {Form::squares}, Honours::none,
    {},
    "least squares close to the answer", "far starts, large residuals",
    [](const SolverSettings& s) { return std::make_unique<GaussNewton>(GaussNewton::Settings{s.number("tolerance")}); }}};

constexpr double kGaussNewtonEnoughFall = 1e-4;
constexpr double kGaussNewtonShortest = 1e-10;
constexpr int kGaussNewtonMostIdle = 2;

// Norms of the columns, or 1 for one that is zero.
Eigen::VectorXd column_scale(const Eigen::VectorXd& norms) {
  return norms.unaryExpr([](double s) { return s > 0 ? s : 1.0; });
}

}  // namespace

void GaussNewton::accept(Problem& problem, const Eigen::VectorXd& x, Linearisation at) {
  at_ = std::move(at);
  status_.x = x;
  status_.value = at_.value;
  Eigen::VectorXd slope, norms;
  at_.slope(slope);
  at_.column_norms(norms);
  const LinearStep linear(at_.factor, unheld_parameters(problem, x, slope), column_scale(norms), at_.projected);
  status_.gradient_norm = relative_offset(linear.reducible(), at_, residual_scale(problem, x, norms));
}

void GaussNewton::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  idle_ = 0;
  Linearisation at = problem.squares()->linearise(x);
  if (!at.usable) {
    status_.value = at.value;
    status_.reason = StopReason::failed;
    return;
  }
  accept(problem, x, std::move(at));
}

void GaussNewton::iterate(Problem& problem) {
  if (status_.gradient_norm <= 1e-3) problem.refine();
  Eigen::VectorXd slope, norms;
  at_.slope(slope);
  at_.column_norms(norms);
  const std::vector<int> unheld = unheld_parameters(problem, status_.x, slope);
  const Eigen::VectorXd scale = column_scale(norms);
  Eigen::VectorXd step;
  bounded_step(problem, status_.x, at_, unheld, scale, std::numeric_limits<double>::infinity(), LinearStep(at_.factor, unheld, scale, at_.projected), step);
  const double promised = at_.promised(step);
  const double size = scale.cwiseProduct(status_.x).norm();
  for (double share = 1; share >= kGaussNewtonShortest; share /= 2) {
    const Eigen::VectorXd to = problem.bounds().along(status_.x, step, share);
    Linearisation trial = problem.squares()->linearise(to);
    if (!trial.usable || !(trial.value <= at_.value - kGaussNewtonEnoughFall * share * promised + 1e-15 * at_.value)) continue;
    const double length = scale.cwiseProduct(to - status_.x).norm();
    const double fall = at_.value - trial.value, before = status_.gradient_norm, value = at_.value;
    status_.step_norm = size > 0 ? length / size : length;
    accept(problem, to, std::move(trial));
    status_.action = share == 1 ? "full step" : "shorter step";
    const bool idle = (fall <= 1e-14 * value || status_.gradient_norm <= tolerance_) && status_.gradient_norm >= 0.25 * before;
    idle_ = idle ? idle_ + 1 : 0;
    if (idle_ >= kGaussNewtonMostIdle || status_.gradient_norm == 0)
      status_.reason = status_.gradient_norm <= tolerance_ ? StopReason::gradient : StopReason::value;
    return;
  }
  status_.action = "no lower point along the step";
  status_.reason = status_.gradient_norm <= tolerance_ ? StopReason::gradient : StopReason::step;
}

void GaussNewton::visit(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size();
  v.flag("usable", at_.usable);
  v.require(at_.usable || status_.reason == StopReason::failed, "usable");
  v.finite("factor", at_.factor, p, p);
  v.finite("projected", at_.projected, p);
  v.within("remainder", at_.remainder, 0, kInfinity);
  v.small("idle", idle_);
  at_.value = status_.value;
}

}  // namespace tundrel
