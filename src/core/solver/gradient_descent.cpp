#include "gradient_descent.h"

#include <algorithm>
#include <cmath>

#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver fixed_rate{{
    "gradient_descent", false, "first", kWithoutKinks, Honours::none,
    {number_setting("rate", 0.1, 0, false), number_setting("momentum", 0, 0, true, 1)},
    "seeing what descent does", "everything else",
    [](const SolverSettings& s) {
      return std::make_unique<GradientDescent>(GradientDescent::Settings{s.number("rate"), s.number("momentum"), false, 0, s.number("tolerance")});
    }}};

const RegisteredSolver adaptive_rate{{
    "adam", false, "first", kWithoutKinks, Honours::none,
    {number_setting("rate", 0.01, 0, false), number_setting("momentum", 0.9, 0, true, 1), number_setting("memory", 0.999, 0, true, 1)},
    "noisy slopes, seeing what descent does", "high accuracy",
    [](const SolverSettings& s) {
      return std::make_unique<GradientDescent>(
          GradientDescent::Settings{s.number("rate"), s.number("momentum"), true, s.number("memory"), s.number("tolerance")});
    }}};

constexpr double kSmall = 1e-12;
// A value this many times above the best, or rising this often in a row, does not come back.
constexpr double kGrown = 1e6;
constexpr long kMostRising = 50;
// Over this many steps a walk that changes the value by less than this share, and keeps this share of the
// slope, crawls.
constexpr long kLookBack = 500;
constexpr double kCrawlShare = 1e-2, kSameSlope = 0.5;

}  // namespace

void GradientDescent::start(Problem& problem, const Eigen::VectorXd& x) {
  velocity_ = squares_ = Eigen::VectorXd::Zero(x.size());
  steps_ = rising_ = 0;
  bend_ = 0;
  if (!begin(problem, x)) return;
  unit_ = first_slope_ > 0 ? first_slope_ : 1;
  best_ = past_value_ = at_.value;
  past_slope_ = status_.gradient_norm;
}

Eigen::VectorXd GradientDescent::next_step(const Eigen::VectorXd& slope) {
  if (!settings_.adaptive) {
    velocity_ = settings_.momentum * velocity_ - settings_.rate * slope;
    return velocity_;
  }
  const double n = static_cast<double>(steps_);
  velocity_ = settings_.momentum * velocity_ + (1 - settings_.momentum) * slope;
  squares_ = settings_.memory * squares_ + (1 - settings_.memory) * slope.cwiseAbs2();
  const Eigen::VectorXd mean = velocity_ / (1 - std::pow(settings_.momentum, n));
  const Eigen::VectorXd spread = (squares_ / (1 - std::pow(settings_.memory, n))).cwiseSqrt();
  return -settings_.rate * mean.cwiseQuotient((spread.array() + kSmall).matrix());
}

void GradientDescent::iterate(Problem& problem) {
  ++steps_;
  const Eigen::VectorXd slope = free_gradient() / unit_;
  const Eigen::VectorXd step = next_step(slope).cwiseProduct(sizes_);
  Eigen::VectorXd to(step.size());
  bool stopped = false;
  for (int i = 0; i < step.size(); ++i) {
    const double reach = std::clamp(step[i], problem.bounds().reach_down(i, status_.x[i]), problem.bounds().reach_up(i, status_.x[i]));
    stopped = stopped || reach != step[i];
    to[i] = reach == 0 ? status_.x[i] : problem.bounds().moved(i, status_.x[i], reach);
  }
  Slope at = problem.slope(to);
  if (!at.usable) {
    velocity_ *= 0.5;
    status_.action = "point refused: no finite value";
    if (++rising_ > kMostRising) {
      status_.reason = StopReason::diverged;
      status_.advised_rate = settings_.rate / 10;
    }
    return;
  }
  const Eigen::VectorXd moved = (to - status_.x).cwiseQuotient(sizes_);
  const Eigen::VectorXd change = (at.gradient - at_.gradient).cwiseProduct(sizes_) / unit_;
  const bool up = at.value > at_.value;
  rising_ = up ? rising_ + 1 : 0;
  take(problem, to, std::move(at), stopped ? "step to a bound" : up ? "step, value up" : "step, value down");
  best_ = std::min(best_, status_.value);
  watch(moved, change);
}

void GradientDescent::watch(const Eigen::VectorXd& step, const Eigen::VectorXd& change) {
  // How much the slope bends along the last step: rates above two over this shake.
  if (step.norm() > 0) bend_ = std::max(0.9 * bend_, change.norm() / step.norm());
  const double steady = bend_ > 0 ? (1 + settings_.momentum) / bend_ : settings_.rate;
  const double scale = std::fabs(best_) + unit_ * kSmall;
  if (rising_ > kMostRising || status_.value - best_ > kGrown * scale) {
    status_.reason = StopReason::diverged;
    status_.advised_rate = std::min(steady, settings_.rate / 2);
    return;
  }
  if (steps_ % kLookBack != 0) return;
  const bool crawls = std::fabs(past_value_ - status_.value) <= kCrawlShare * std::max(std::fabs(past_value_), kSmall) &&
                      status_.gradient_norm >= kSameSlope * past_slope_;
  // Several times the rate would still be steady, or shaking holds it up.
  if (crawls && status_.reason == StopReason::none && status_.gradient_norm > kSmall) {
    status_.reason = StopReason::stalled;
    status_.advised_rate = settings_.adaptive ? settings_.rate / 10 : steady;
  }
  past_value_ = status_.value;
  past_slope_ = status_.gradient_norm;
}

void GradientDescent::visit(StateVisitor& v) {
  visit_descent(v);
  v.finite("velocity", velocity_, status_.x.size());
  v.finite("squares", squares_, status_.x.size());
  v.field("unit", unit_);
  v.field("best", best_);
  v.field("bend", bend_);
  v.field("past_value", past_value_);
  v.field("past_slope", past_slope_);
  v.whole("steps", steps_);
  v.whole("rising", rising_);
}

}  // namespace tundrel
