#include "interpolation.h"

#include <algorithm>
#include <cmath>

#include "../step/nearest_point.h"
#include "../step/sizes.h"
#include "solver_table.h"
#include "sqp.h"

namespace tundrel {
namespace {

const RegisteredSolver interpolation_entry{{
    "interpolation", false, "none", {Form::squares, Form::smooth}, Honours::inequalities,
    {number_setting("radius", 0.1, 0, false)},
    "values that are costly, noisy or without derivatives", "more than some twenty parameters",
    [](const SolverSettings& s) { return std::make_unique<Interpolation>(Interpolation::Settings{s.number("radius"), s.number("tolerance")}); }}};

constexpr double kInterpolationMissAllowed = 1e-10;
constexpr int kInterpolationMostSteps = 50;
// Known calls up to so many radii away make the first models.
constexpr double kKnownReach = 3;

// A model of the criterion, about a centre and in the parameters' sizes, as a problem in the parameters.
class ModelProblem : public Problem {
 public:
  ModelProblem(const QuadraticModel& model, const Eigen::VectorXd& centre, const Eigen::VectorXd& sizes, Bounds bounds)
      : model_(model), centre_(centre), sizes_(sizes), bounds_(std::move(bounds)) {}
  int size() const override { return static_cast<int>(centre_.size()); }
  const Bounds& bounds() const override { return bounds_; }
  double value(const Eigen::VectorXd& x) override { return model_.at((x - centre_).cwiseQuotient(sizes_)); }
  Expansion expand(const Eigen::VectorXd& x) override {
    const Eigen::VectorXd step = (x - centre_).cwiseQuotient(sizes_);
    Expansion out;
    out.usable = true;
    out.value = model_.at(step);
    out.gradient = (model_.gradient + model_.hessian * step).cwiseQuotient(sizes_);
    out.hessian = sizes_.cwiseInverse().asDiagonal() * model_.hessian * sizes_.cwiseInverse().asDiagonal();
    return out;
  }

 private:
  const QuadraticModel& model_;
  const Eigen::VectorXd &centre_, &sizes_;
  Bounds bounds_;
};

double miss_of(const Problem& problem, const Eigen::VectorXd& x) { return problem.joint ? problem.joint->misses(x).sum() : 0; }

}  // namespace

void Interpolation::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  Eigen::VectorXd from = x;
  if (problem.joint && problem.joint->misses(from).maxCoeff() > kInterpolationMissAllowed) nearest_inside(*problem.joint, problem.bounds(), from);
  sizes_ = parameter_sizes(problem, from);
  status_.x = from;
  status_.value = problem.value(from);
  status_.infeasibility = miss_of(problem, from);
  status_.gradient_norm = std::numeric_limits<double>::quiet_NaN();
  if (!std::isfinite(status_.value)) {
    status_.reason = StopReason::failed;
    return;
  }
  const Bounds& bounds = problem.bounds();
  Eigen::VectorXd lower(from.size()), upper(from.size());
  for (int i = 0; i < from.size(); ++i) {
    // an open limit is come near to, and never met
    lower[i] = (bounds.lower[i] + (bounds.lower_open[i] ? Bounds::kRestingShare * bounds.typical[i] : 0)) / sizes_[i];
    upper[i] = (bounds.upper[i] - (bounds.upper_open[i] ? Bounds::kRestingShare * bounds.typical[i] : 0)) / sizes_[i];
  }
  walk_.begin(lower, upper, from.cwiseQuotient(sizes_), status_.value, settings_.radius, settings_.tolerance);
  // what is known from before is as good
  if (!problem.work.log) return;
  for (const Call& call : problem.work.log->calls()) {
    const Eigen::VectorXd unit = call.x.cwiseQuotient(sizes_);
    const bool near = call.x.size() == from.size() && call.x != from && (unit - from.cwiseQuotient(sizes_)).cwiseAbs().maxCoeff() <= kKnownReach * settings_.radius;
    if (near && !call.failed && miss_of(problem, call.x) <= kInterpolationMissAllowed) walk_.know(unit, call.value);
  }
  if (walk_.best_value() < status_.value) {
    status_.value = walk_.best_value();
    status_.x = walk_.best().cwiseProduct(sizes_);
    status_.infeasibility = miss_of(problem, status_.x);
  }
}

void Interpolation::iterate(Problem& problem) {
  const Bounds& bounds = problem.bounds();
  walk_.lowest = nullptr;
  walk_.settle = nullptr;
  if (problem.joint) {
    walk_.settle = [&](Eigen::VectorXd& unit) {
      Eigen::VectorXd x = unit.cwiseProduct(sizes_);
      if (problem.joint->misses(x).maxCoeff() <= kInterpolationMissAllowed) return true;
      if (!nearest_inside(*problem.joint, bounds, x)) return false;
      unit = x.cwiseQuotient(sizes_);
      return true;
    };
    walk_.lowest = [&](const QuadraticModel& model, const Eigen::VectorXd& low, const Eigen::VectorXd& high) -> Eigen::VectorXd {
      const Eigen::VectorXd centre = status_.x;
      Bounds within = Bounds::none(centre.size());
      within.lower = centre + low.cwiseProduct(sizes_);
      within.upper = centre + high.cwiseProduct(sizes_);
      within.typical = walk_.radius() * sizes_;
      ModelProblem inner(model, centre, sizes_, within);
      inner.joint = problem.joint;
      Sqp solver({1, 1e-10});
      solver.start(inner, centre);
      for (int k = 0; k < kInterpolationMostSteps && solver.status().reason == StopReason::none; ++k) solver.iterate(inner);
      return (solver.status().x - centre).cwiseQuotient(sizes_);
    };
  }
  const Eigen::VectorXd unit = walk_.ask();
  if (walk_.is_over()) {
    status_.reason = StopReason::step;
    status_.action = "region is small enough";
    status_.step_norm = 0;
    return;
  }
  const Eigen::VectorXd x = unit.cwiseProduct(sizes_).cwiseMax(bounds.lower).cwiseMin(bounds.upper);
  const double value = problem.value(x);
  const bool better = value < status_.value;
  walk_.tell(value);
  status_.step_norm = walk_.radius();
  status_.action = better ? "lower value" : "no lower value";
  if (!better) return;
  status_.x = x;
  status_.value = value;
  status_.infeasibility = miss_of(problem, x);
}

void Interpolation::visit(StateVisitor& v) {
  visit_status(v, status_);
  v.within("sizes", sizes_, v.parameters(), 0, kInfinity);
  walk_.visit(v);
}

}  // namespace tundrel
