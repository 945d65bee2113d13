#include "conjugate_gradient.h"

#include <algorithm>
#include <cmath>

#include "line_search.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver conjugate_gradient_entry{{
    "conjugate_gradient", false, "first", kWithoutKinks, Honours::none,
    {},
    "very many parameters, little memory", "narrow valleys, high accuracy",
    [](const SolverSettings& s) { return std::make_unique<ConjugateGradient>(ConjugateGradient::Settings{s.number("tolerance")}); }}};

// Conjugate directions need lines searched closely.
constexpr double kConjugateFlatness = 0.1;
constexpr double kConjugateFirstStep = 0.1;
// Slopes that have this much in common are not orthogonal.
constexpr double kOrthogonal = 0.2;

}  // namespace

void ConjugateGradient::start(Problem& problem, const Eigen::VectorXd& x) {
  if (!begin(problem, x)) return;
  direction_ = -free_gradient();
  last_length_ = last_promise_ = 0;
  steepest_ = true;
}

void ConjugateGradient::iterate(Problem& problem) {
  const Eigen::VectorXd along = direction_.cwiseProduct(sizes_);
  const double most = problem.bounds().reach_along(status_.x, along);
  const double promise = at_.gradient.dot(along);
  // As long as the last step, corrected for the steeper or gentler slope.
  const double first = last_length_ > 0 ? std::min(1e3 * last_length_, last_length_ * last_promise_ / promise)
                                        : kConjugateFirstStep / std::max(direction_.norm(), 1e-300);
  const LineResult line = search_line(problem, status_.x, at_, along, first, most, kConjugateFlatness);
  if (!line.found) {
    if (steepest_) {
      status_.action = "no lower point along the slope";
      status_.reason = StopReason::step;
      return;
    }
    direction_ = -free_gradient();
    steepest_ = true;
    last_length_ = 0;
    status_.action = "restart along the slope";
    return;
  }
  const Eigen::VectorXd before = free_gradient();
  const std::vector<int> held_before = unheld_;
  last_length_ = line.length;
  last_promise_ = promise;
  const bool was_steepest = steepest_;
  take(problem, line.x, line.at, was_steepest ? "step along the slope" : "conjugate step");
  const Eigen::VectorXd slope = free_gradient();
  const double share = std::max(0.0, slope.dot(slope - before) / before.squaredNorm());
  const bool restart = unheld_ != held_before || std::fabs(slope.dot(before)) > kOrthogonal * slope.squaredNorm();
  steepest_ = restart || share == 0;
  direction_ = steepest_ ? Eigen::VectorXd(-slope) : Eigen::VectorXd(-slope + share * direction_);
  if (direction_.dot(slope) >= 0) {
    direction_ = -slope;
    steepest_ = true;
  }
}

void ConjugateGradient::visit(StateVisitor& v) {
  visit_descent(v);
  v.finite("direction", direction_, status_.x.size());
  v.field("last_length", last_length_);
  v.field("last_promise", last_promise_);
  v.flag("steepest", steepest_);
}

}  // namespace tundrel
