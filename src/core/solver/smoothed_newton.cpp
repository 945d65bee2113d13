#include "smoothed_newton.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "../decompositions.h"
#include "../step/absolute_program.h"
#include "../step/kink_balance.h"
#include "../step/optimality.h"
#include "../step/sizes.h"
#include "solver_table.h"
#include "../problem/kinks.h"

namespace tundrel {
namespace {

const RegisteredSolver smoothed_newton_entry{{
    "smoothed_newton", false, "first and second", {Form::kinked}, Honours::none,
    {number_setting("first_radius", 1, 0, false)},
    "absolute error, Laplace likelihoods", "criteria without kinks",
    [](const SolverSettings& s) { return std::make_unique<SmoothedNewton>(Newton::Settings{s.number("first_radius"), s.number("tolerance")}); }}};

// The smoothed optimum is found this closely before the kinks are sharpened.
constexpr double kStageTolerance = 1e-6;
constexpr double kNarrower = 0.1;
// From this share of the first width on it is tried to meet the kinks; below the other it is given up.
constexpr double kTryShare = 1e-2, kLeastShare = 1e-12;
// Kinks within so many widths of zero may be at zero at the optimum.
constexpr double kSmoothedReach = 30;
constexpr int kMostMeetingSteps = 15;
// Linear programs are solved for so many kinks at most, one after the other in regions that shrink to this share of the sizes.
constexpr int kMostProgramKinks = 2000, kMostProgramSteps = 60;
constexpr double kSmoothedLeastRadius = 1e-12, kBalanced = 1e-8;
// Multipliers may leave their range by rounding.
constexpr double kMultiplierSlack = 1e-7;
constexpr double kSmoothedSameValue = 1e-12;

// Keeps the fields of the inner walk apart from those of the outer one.
class InnerVisitor : public StateVisitor {
 public:
  explicit InnerVisitor(StateVisitor& outer) : outer_(outer) {}
  void field(const char* name, double& x) override { outer_.field(named(name).c_str(), x); }
  void field(const char* name, Eigen::VectorXd& x, Eigen::Index size) override { outer_.field(named(name).c_str(), x, size); }
  void field(const char* name, Eigen::MatrixXd& x, Eigen::Index rows, Eigen::Index columns) override { outer_.field(named(name).c_str(), x, rows, columns); }
  Eigen::Index parameters() const override { return outer_.parameters(); }
  void require(bool holds, const char* name) override { outer_.require(holds, named(name).c_str()); }

 private:
  static std::string named(const char* name) { return std::string("inner_") + name; }
  StateVisitor& outer_;
};

}  // namespace

// Close to sharp kinks even good steps are short: the inner walk does not stop for that.
SmoothedNewton::SmoothedNewton(Newton::Settings settings) : smooth_({settings.first_radius, 0}) {}

namespace {

// How far kinks may be from zero to be those that are zero at the optimum: the nearest ones, as long as
// their slopes are independent in the parameters `unheld`. A kink that is not quite zero has a slope that
// is not quite what it will be there: shares of slopes below `doubt` do not count.
double reach_of_independent(const KinkedExpansion& at, const std::vector<int>& unheld, double reach, double doubt) {
  std::vector<const Kink*> nearest;
  for (const Kink& kink : at.kinks) nearest.push_back(&kink);
  std::sort(nearest.begin(), nearest.end(), [](const Kink* a, const Kink* b) { return std::fabs(a->value) < std::fabs(b->value); });
  Eigen::MatrixXd slopes(unheld.size(), nearest.size());
  for (std::size_t k = 0; k < nearest.size(); ++k) {
    for (std::size_t i = 0; i < unheld.size(); ++i) slopes(i, k) = nearest[k]->gradient[unheld[i]] / at.effort[unheld[i]];
    if (pivoted_rank(slopes.leftCols(k + 1), doubt) > static_cast<Eigen::Index>(k)) continue;
    return 0.5 * (std::fabs(nearest[k]->value) + (k > 0 ? std::fabs(nearest[k - 1]->value) : 0));
  }
  return reach;
}

// What no multipliers of the kinks at zero can balance, as verification will judge it.
double slope_left(Problem& problem, const Eigen::VectorXd& x) {
  const double never = std::numeric_limits<double>::infinity();
  const KinkedExpansion at = problem.kinks()->expand_kinks(x, problem.kinks()->kink_sizes(x).rounding, kMostProgramKinks);
  const Eigen::MatrixXd information = problem.row_slopes()->expected_factor(x);
  if (!at.usable || information.size() == 0 || !information.allFinite()) return never;
  std::vector<int> free;
  for (int i = 0; i < x.size(); ++i)
    if (!problem.bounds().rests_low(i, x[i]) && !problem.bounds().rests_high(i, x[i])) free.push_back(i);
  const Eigen::VectorXd left = balance_kinks(at, unit_steps(information, free)).slope;
  const std::vector<int> unheld = unheld_parameters(problem, x, left);
  return unheld.empty() ? 0 : (unit_steps(information, unheld).transpose() * left).norm() / std::sqrt(at.rows);
}

}  // namespace

// The criterion itself, not its smoothed form, is what the trace shows.
void SmoothedNewton::take_over(Problem& problem) {
  const Status& inner = smooth_.status();
  status_.x = inner.x;
  status_.gradient_norm = inner.gradient_norm;
  status_.step_norm = inner.step_norm;
  status_.action = inner.action;
  status_.value = problem.value(inner.x);
}

void SmoothedNewton::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.x = x;
  first_width_ = width_ = problem.kinks()->kink_sizes(x).mean;
  if (!std::isfinite(width_)) {
    status_.reason = StopReason::failed;
    return;
  }
  if (width_ == 0) {
    status_.value = problem.value(x);
    status_.action = "start";
    status_.reason = StopReason::gradient;
    return;
  }
  problem.kinks()->smooth_by(width_);
  smooth_.start(problem, x);
  take_over(problem);
  if (smooth_.status().reason == StopReason::failed) status_.reason = StopReason::failed;
}

void SmoothedNewton::iterate(Problem& problem) {
  problem.kinks()->smooth_by(width_);
  const StopReason inner = smooth_.status().reason;
  if (inner == StopReason::none && smooth_.status().gradient_norm > kStageTolerance) {
    smooth_.iterate(problem);
    take_over(problem);
    return;
  }
  if (width_ <= kTryShare * first_width_ && (meet_kinks(problem) || solve_program(problem))) return;
  narrow(problem);
}

void SmoothedNewton::narrow(Problem& problem) {
  const double size = problem.kinks()->kink_sizes(smooth_.status().x).mean;
  width_ = kNarrower * std::min(width_, size);
  status_.action = "kinks sharpened";
  if (!(width_ > kLeastShare * first_width_)) {
    status_.reason = StopReason::step;
    return;
  }
  problem.kinks()->smooth_by(width_);
  smooth_.renew(problem);
  if (smooth_.status().reason == StopReason::failed) status_.reason = StopReason::stalled;
}

bool SmoothedNewton::meet_kinks(Problem& problem) {
  Eigen::VectorXd x = smooth_.status().x;
  const Expansion smoothed = problem.expand(x);
  if (!smoothed.usable) return false;
  const std::vector<int> unheld = unheld_parameters(problem, x, smoothed.gradient);
  const Eigen::VectorXd sizes = parameter_sizes(problem, x);
  const int m = static_cast<int>(unheld.size()), most = 3 * problem.size() + 20;
  Eigen::VectorXd multiplier;
  const KinkedExpansion near = problem.kinks()->expand_kinks(x, kSmoothedReach * width_, most);
  if (!near.usable) return false;
  const double doubt = std::clamp(kSmoothedReach * width_ / first_width_, 1e-10, 0.1);
  const double reach = reach_of_independent(near, unheld, kSmoothedReach * width_, doubt);
  double length = 0, before = std::numeric_limits<double>::infinity();
  for (int k = 0; k < kMostMeetingSteps; ++k, before = length) {
    const KinkedExpansion at = problem.kinks()->expand_kinks(x, reach, most);
    if (!at.usable) return false;
    const int n = static_cast<int>(at.kinks.size());
    if (k == 0) {
      multiplier.resize(n);
      for (int i = 0; i < n; ++i) multiplier[i] = at.kinks[i].count * at.kinks[i].value / std::hypot(at.kinks[i].value, width_);
    }
    if (multiplier.size() != n) return false;
    // Newton's step for: slope + multipliers times the kinks' slopes = 0, kinks = 0.
    Eigen::MatrixXd system = Eigen::MatrixXd::Zero(m + n, m + n);
    Eigen::VectorXd right(m + n);
    for (int i = 0; i < m; ++i) {
      right[i] = -at.rest.gradient[unheld[i]] * sizes[unheld[i]];
      for (int j = 0; j < m; ++j) {
        double curvature = at.rest.hessian(unheld[i], unheld[j]);
        for (int a = 0; a < n; ++a) curvature += multiplier[a] * at.kinks[a].hessian(unheld[i], unheld[j]);
        system(i, j) = curvature * sizes[unheld[i]] * sizes[unheld[j]];
      }
      for (int a = 0; a < n; ++a)
        system(i, m + a) = system(m + a, i) = at.kinks[a].gradient[unheld[i]] * sizes[unheld[i]];
    }
    for (int a = 0; a < n; ++a) right[m + a] = -at.kinks[a].value;
    const Eigen::VectorXd solution = shortest_solution(system, right);
    if (!solution.allFinite()) return false;
    multiplier = solution.tail(n);
    for (int a = 0; a < n; ++a)
      if (std::fabs(multiplier[a]) > at.kinks[a].count * (1 + kMultiplierSlack)) return false;
    for (int i = 0; i < m; ++i) {
      const double step = solution[i] * sizes[unheld[i]];
      const int p = unheld[i];
      if (step < problem.bounds().reach_down(p, x[p]) || step > problem.bounds().reach_up(p, x[p])) return false;
      x[p] = problem.bounds().moved(p, x[p], step);
    }
    length = solution.head(m).norm();
    if (length <= 1e-15 || (k > 1 && length >= 0.5 * before && length < 1e-9)) break;
  }
  const KinkedExpansion end = problem.kinks()->expand_kinks(x, reach, most);
  const double rounding = problem.kinks()->kink_sizes(x).rounding;
  for (const Kink& kink : end.kinks)
    if (!end.usable || std::fabs(kink.value) > rounding) return false;
  const double value = problem.value(x);
  // Multipliers in their range say little where too few kinks are met to balance the slope.
  if (!(slope_left(problem, x) <= kBalanced)) return false;
  if (!(length < 1e-9) || !(value <= status_.value + kSmoothedSameValue * std::fabs(status_.value))) return false;
  status_.x = x;
  status_.value = value;
  status_.step_norm = length;
  status_.gradient_norm = 0;
  status_.action = "kinks met";
  status_.reason = StopReason::gradient;
  return true;
}

bool SmoothedNewton::solve_program(Problem& problem) {
  const Bounds& bounds = problem.bounds();
  const double infinity = std::numeric_limits<double>::infinity();
  std::vector<int> all(status_.x.size());
  std::iota(all.begin(), all.end(), 0);
  double radius = 1;
  bool moved = false;
  for (int k = 0; k < kMostProgramSteps && radius > kSmoothedLeastRadius; ++k) {
    const Eigen::VectorXd x = status_.x, sizes = parameter_sizes(problem, x);
    KinkedExpansion at = problem.kinks()->expand_kinks(x, infinity, kMostProgramKinks);
    if (!at.usable) at = problem.kinks()->expand_kinks(x, kSmoothedReach * width_, kMostProgramKinks);
    const Eigen::MatrixXd information = problem.row_slopes()->expected_factor(x);
    if (!at.usable || at.kinks.empty() || information.size() == 0 || !information.allFinite()) break;
    AbsoluteProgram program;
    const auto n = static_cast<Eigen::Index>(at.kinks.size());
    program.slope = at.rest.gradient;
    program.normals.resize(x.size(), n);
    program.values.resize(n);
    program.counts.resize(n);
    for (Eigen::Index i = 0; i < n; ++i) {
      const Kink& kink = at.kinks[static_cast<std::size_t>(i)];
      program.normals.col(i) = kink.gradient;
      program.values[i] = kink.value;
      program.counts[i] = kink.count;
    }
    program.lower = program.upper = Eigen::VectorXd(x.size());
    for (int i = 0; i < x.size(); ++i) {
      program.lower[i] = std::max(bounds.reach_down(i, x[i]), -radius * sizes[i]);
      program.upper[i] = std::min(bounds.reach_up(i, x[i]), radius * sizes[i]);
    }
    program.metric = unit_steps(information, all);
    const Eigen::VectorXd step = solve(program), to = bounds.along(x, step);
    const double length = step.cwiseQuotient(sizes).lpNorm<Eigen::Infinity>();
    const double value = length > 0 ? problem.value(to) : status_.value;
    if (std::isfinite(value) && value < status_.value) {
      status_.x = to;
      status_.value = value;
      status_.step_norm = length;
      moved = true;
      if (length >= 0.99 * radius) radius *= 2;
      continue;
    }
    if (length <= kSmoothedLeastRadius) break;
    radius = 0.25 * std::min(radius, length);
  }
  const double left = slope_left(problem, status_.x);
  if (left <= kBalanced) {
    status_.gradient_norm = left;
    status_.action = "linear program of the kinks solved";
    status_.reason = StopReason::gradient;
    return true;
  }
  if (moved) {
    problem.kinks()->smooth_by(width_);
    smooth_.start(problem, status_.x);
  }
  return false;
}

void SmoothedNewton::visit(StateVisitor& v) {
  visit_status(v, status_);
  InnerVisitor inner(v);
  smooth_.visit(inner);
  v.within("width", width_, 0, kInfinity);
  v.within("first_width", first_width_, 0, kInfinity);
}

}  // namespace tundrel
