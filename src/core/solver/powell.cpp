#include "powell.h"

#include <algorithm>
#include <cmath>

#include "line_search.h"
#include "../step/sizes.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver powell_entry{{
    "powell", false, "none", kAnyForm, Honours::none,
    {},
    "smooth values without derivatives", "many parameters",
    [](const SolverSettings& s) { return std::make_unique<Powell>(Powell::Settings{s.number("tolerance")}); }}};

// Lines are searched to this share: values alone cannot tell much more.
constexpr double kLineTolerance = 1e-9;
constexpr double kPowellFirstStep = 0.1;
constexpr int kMostLineSteps = 100;
constexpr int kPowellMostIdle = 2;

}  // namespace

void Powell::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  status_.value = problem.value(x);
  if (!std::isfinite(status_.value)) status_.reason = StopReason::failed;
  sizes_ = parameter_sizes(problem, x);
  directions_ = Eigen::MatrixXd::Identity(x.size(), x.size());
  idle_ = 0;
}

double Powell::descend(Problem& problem, const Eigen::VectorXd& direction) {
  const Eigen::VectorXd along = direction.cwiseProduct(sizes_), from = status_.x;
  const double up = problem.bounds().reach_along(from, along), down = -problem.bounds().reach_along(from, -along);
  if (!(up > 0) && !(down < 0)) return 0;
  LineMinimum line;
  line.begin(0, status_.value, kPowellFirstStep, down, up);
  for (int k = 0; k < kMostLineSteps; ++k) {
    const double at = line.propose();
    if (!line.record(problem.value(problem.bounds().along(from, along, at)), kLineTolerance, 1e-3)) break;
  }
  if (!(line.best_value() < status_.value)) return 0;
  status_.x = problem.bounds().along(from, along, line.best());
  status_.value = line.best_value();
  return line.best();
}

void Powell::iterate(Problem& problem) {
  const Eigen::VectorXd from = status_.x;
  const double before = status_.value;
  double largest_fall = 0;
  int largest = 0;
  for (int k = 0; k < directions_.cols(); ++k) {
    const double value = status_.value;
    descend(problem, directions_.col(k));
    if (value - status_.value > largest_fall) {
      largest_fall = value - status_.value;
      largest = k;
    }
  }
  const Eigen::VectorXd cycle = (status_.x - from).cwiseQuotient(sizes_);
  status_.action = "cycle of lines";
  status_.step_norm = cycle.norm();
  if (cycle.norm() > 0) {
    const Eigen::VectorXd beyond =
        problem.bounds().along(status_.x, cycle.cwiseProduct(sizes_), std::min(1.0, problem.bounds().reach_along(status_.x, cycle.cwiseProduct(sizes_))));
    const double then = problem.value(beyond);
    const double fall = before - status_.value;
    const bool worth = std::isfinite(then) && then < before &&
                       2 * (before - 2 * status_.value + then) * std::pow(fall - largest_fall, 2) < largest_fall * std::pow(before - then, 2);
    if (worth) {
      const double length = descend(problem, cycle / cycle.norm());
      if (length != 0) {
        directions_.col(largest) = directions_.col(directions_.cols() - 1);
        directions_.col(directions_.cols() - 1) = cycle / cycle.norm();
        status_.action = "cycle of lines, new direction";
      }
    }
  }
  const bool idle = before - status_.value <= 1e-15 * std::fabs(before) || status_.step_norm <= 0.1 * tolerance_;
  idle_ = idle ? idle_ + 1 : 0;
  if (idle_ == 1) directions_ = Eigen::MatrixXd::Identity(from.size(), from.size());  // worn-out directions get a last chance
  if (idle_ >= kPowellMostIdle) status_.reason = status_.step_norm <= 0.1 * tolerance_ ? StopReason::step : StopReason::value;
}

void Powell::visit(StateVisitor& v) {
  visit_status(v, status_);
  v.within("sizes", sizes_, status_.x.size(), 0, kInfinity);
  v.finite("directions", directions_, status_.x.size(), status_.x.size());
  v.small("idle", idle_);
}

}  // namespace tundrel
