#include "gradient_descent.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>

#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver fixed_rate{{
    "gradient_descent", false, "first", kWithoutKinks, Honours::none,
    {number_setting("rate", 0.1, 0, false), number_setting("momentum", 0, 0, true, 1), flag_setting("scaled", true)},
    "seeing what descent does", "everything else",
    [](const SolverSettings& s) {
      return std::make_unique<GradientDescent>(GradientDescent::Settings{s.number("rate"), s.number("scaled") != 0, s.number("momentum"), false, 0, s.number("tolerance")});
    }}};

const RegisteredSolver adaptive_rate{{
    "adam", false, "first", kWithoutKinks, Honours::none,
    {number_setting("rate", 0.01, 0, false), number_setting("momentum", 0.9, 0, true, 1), number_setting("memory", 0.999, 0, true, 1),
     flag_setting("scaled", true)},
    "noisy slopes, seeing what descent does", "high accuracy",
    [](const SolverSettings& s) {
      return std::make_unique<GradientDescent>(
          GradientDescent::Settings{s.number("rate"), s.number("scaled") != 0, s.number("momentum"), true, s.number("memory"), s.number("tolerance")});
    }}};

constexpr double kSmall = 1e-12;
// Added to the root of the mean square of slopes where nothing is scaled, as Adam was published.
constexpr double kPublishedSmall = 1e-8;
// Rates that are tried before one is advised, for so many steps; fewer where each calls the user.
constexpr int kMostTried = 12, kFewTried = 4;
constexpr std::int64_t kStepsTried = 500, kFewSteps = 50;
// A value this many times above the best, or rising this often in a row, does not come back.
constexpr double kGradientGrown = 1e6;
constexpr std::int64_t kMostRising = 50;
// Over this many steps a walk that changes the value by less than this share, and keeps this share of the
// slope, crawls.
constexpr std::int64_t kLookBack = 500;
constexpr double kCrawlShare = 1e-2, kSameSlope = 0.5;

}  // namespace

void GradientDescent::start(Problem& problem, const Eigen::VectorXd& x) {
  velocity_ = squares_ = Eigen::VectorXd::Zero(x.size());
  steps_ = rising_ = 0;
  bend_ = 0;
  if (!begin(problem, x)) return;
  began_ = x;
  unit_ = settings_.scaled && first_slope_ > 0 ? first_slope_ : 1;
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
  return -settings_.rate * mean.cwiseQuotient((spread.array() + (settings_.scaled ? kSmall : kPublishedSmall)).matrix());
}

Eigen::VectorXd GradientDescent::units() const { return settings_.scaled ? sizes_ : Eigen::VectorXd::Ones(sizes_.size()); }

void GradientDescent::iterate(Problem& problem) {
  ++steps_;
  const Eigen::VectorXd units = this->units();
  const Eigen::VectorXd slope = free_gradient().cwiseQuotient(sizes_).cwiseProduct(units) / unit_;
  const Eigen::VectorXd step = next_step(slope).cwiseProduct(units);
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
      status_.advised_rate = rate_that_serves(problem, settings_.rate / 2, std::numeric_limits<double>::infinity());
    }
    return;
  }
  const Eigen::VectorXd moved = (to - status_.x).cwiseQuotient(units);
  const Eigen::VectorXd change = (at.gradient - at_.gradient).cwiseProduct(units) / unit_;
  const bool up = at.value > at_.value;
  rising_ = up ? rising_ + 1 : 0;
  take(problem, to, std::move(at), stopped ? "step to a bound" : up ? "step, value up" : "step, value down");
  best_ = std::min(best_, status_.value);
  watch(problem, moved, change);
}

namespace {

// What is advised is what was tried: to two digits.
double rounded_down(double x) {
  const double unit = std::pow(10.0, std::floor(std::log10(x)) - 1);
  return std::floor(x / unit * (1 + 1e-12)) * unit;
}

}  // namespace

double GradientDescent::rate_that_serves(Problem& problem, double rate, double value) const {
  if (tries_ || !(rate > 0)) return 0;
  const bool dear = problem.calls_user();
  for (int k = 0; k < (dear ? kFewTried : kMostTried); ++k, rate /= 2) {
    Settings settings = settings_;
    settings.rate = rounded_down(rate);
    GradientDescent trial(settings);
    trial.tries_ = true;
    trial.start(problem, began_);
    const double before = trial.status_.value;
    for (std::int64_t i = 0; i < (dear ? kFewSteps : kStepsTried) && trial.status_.reason == StopReason::none; ++i) trial.iterate(problem);
    const StopReason reason = trial.status_.reason;
    if (reason != StopReason::diverged && reason != StopReason::failed && trial.status_.value < std::min(value, before)) return settings.rate;
  }
  return 0;
}

void GradientDescent::watch(Problem& problem, const Eigen::VectorXd& step, const Eigen::VectorXd& change) {
  // How much the slope bends along the last step: rates above two over this shake.
  if (step.norm() > 0) bend_ = std::max(0.9 * bend_, change.norm() / step.norm());
  const double steady = bend_ > 0 ? (1 + settings_.momentum) / bend_ : settings_.rate;
  const double scale = std::fabs(best_) + first_slope_ * kSmall;
  if (rising_ > kMostRising || status_.value - best_ > kGradientGrown * scale) {
    status_.reason = StopReason::diverged;
    status_.advised_rate = rate_that_serves(problem, std::min(steady, settings_.rate / 2), std::numeric_limits<double>::infinity());
    return;
  }
  if (steps_ % kLookBack != 0) return;
  const bool crawls = std::fabs(past_value_ - status_.value) <= kCrawlShare * std::max(std::fabs(past_value_), kSmall) &&
                      status_.gradient_norm >= kSameSlope * past_slope_;
  // Several times the rate would still be steady, or shaking holds it up.
  if (crawls && status_.reason == StopReason::none && status_.gradient_norm > kSmall) {
    status_.reason = StopReason::stalled;
    status_.advised_rate = rate_that_serves(problem, settings_.adaptive ? settings_.rate / 10 : steady, status_.value);
  }
  past_value_ = status_.value;
  past_slope_ = status_.gradient_norm;
}

void GradientDescent::visit(StateVisitor& v) {
  visit_descent(v);
  v.finite("velocity", velocity_, status_.x.size());
  v.finite("squares", squares_, status_.x.size());
  v.finite("began", began_, status_.x.size());
  v.field("unit", unit_);
  v.field("best", best_);
  v.field("bend", bend_);
  v.field("past_value", past_value_);
  v.field("past_slope", past_slope_);
  v.whole("steps", steps_);
  v.whole("rising", rising_);
}

}  // namespace tundrel
