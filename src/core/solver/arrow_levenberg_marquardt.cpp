#include "arrow_levenberg_marquardt.h"

#include <algorithm>
#include <cmath>

#include "../step/arrow_columns.h"

namespace tundrel {
namespace {

using Eigen::VectorXd;

constexpr double kFirstDamping = 1e-3, kMostDamping = 1e20;
// A step is taken where the value falls by at least this share of what was predicted.
constexpr double kArrowWorthwhile = 1e-4;
constexpr int kClosingSteps = 8;
// Values this close are equal but for rounding.
constexpr double kArrowSameValue = 1e-9;

double sum_of_values(const std::vector<Linearisation>& at) {
  double sum = 0;
  for (const Linearisation& one : at) sum += one.value;
  return sum;
}

}  // namespace

void ArrowLevenbergMarquardt::start(Problem& problem, const VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  scale_ = VectorXd::Zero(x.size());
  damping_ = kFirstDamping;
  growth_ = 2;
  closing_ = false;
  closing_steps_ = 0;
  claim_ = StopReason::none;
  known_ = problem.arrow()->linearise_groups(x, at_);
  status_.value = known_ ? sum_of_values(at_) : std::numeric_limits<double>::infinity();
  if (known_)
    prepare(problem);
  else
    status_.reason = StopReason::failed;
}

void ArrowLevenbergMarquardt::look_again(Problem& problem) {
  const Evaluation counted = problem.work;
  problem.arrow()->linearise_groups(status_.x, at_);
  problem.work.evaluations = counted.evaluations;
  problem.work.refused = counted.refused;
  known_ = true;
  prepare(problem);
}

void ArrowLevenbergMarquardt::prepare(Problem& problem) {
  const ArrowColumns columns(problem, problem.arrow()->grouping(), at_, status_.x);
  scale_ = scale_.cwiseMax(columns.norms);
  held_ = columns.held;
  undamped_.reset();
  // the cosine between the residual and each column is at most that between it and the tangent plane
  double cosine = 0;
  for (Eigen::Index i = 0; i < scale_.size(); ++i)
    if (!held_[static_cast<std::size_t>(i)] && columns.norms[i] > 0 && columns.value > 0)
      cosine = std::max(cosine, std::fabs(columns.slope[i]) / (2 * columns.norms[i] * std::sqrt(columns.value)));
  status_.gradient_norm = cosine;
}

ArrowStep ArrowLevenbergMarquardt::step(Problem& problem, double damping) const {
  return ArrowStep(problem.arrow()->grouping(), at_, scale_, held_, damping, problem.work.threads);
}

VectorXd ArrowLevenbergMarquardt::moved(Problem& problem, const VectorXd& step) const {
  const Bounds& bounds = problem.bounds();
  const VectorXd& x = status_.x;
  VectorXd kept(x.size());
  for (int i = 0; i < x.size(); ++i) kept[i] = std::max(bounds.reach_down(i, x[i]), std::min(bounds.reach_up(i, x[i]), step[i]));
  return bounds.along(x, kept);
}

double ArrowLevenbergMarquardt::promised(Problem& problem, const VectorXd& step) const {
  const Grouping& grouping = problem.arrow()->grouping();
  double sum = 0;
  for (int k = 0; k < grouping.count(); ++k) sum += at_[static_cast<std::size_t>(k)].promised(grouping.of_group(step, k));
  return sum;
}

void ArrowLevenbergMarquardt::iterate(Problem& problem) {
  if (!known_) look_again(problem);
  if (closing_)
    close(problem);
  else
    walk(problem);
}

void ArrowLevenbergMarquardt::begin_closing(StopReason reason, const char* action) {
  closing_ = true;
  claim_ = reason;
  status_.action = action;
}

void ArrowLevenbergMarquardt::walk(Problem& problem) {
  const VectorXd to = moved(problem, step(problem, damping_).step());
  const double before = status_.value, predicted = promised(problem, to - status_.x);
  if (!(predicted > tolerance_ * tolerance_ * before) || before == 0) return begin_closing(StopReason::value, "no further step");
  const bool usable = problem.arrow()->linearise_groups(to, there_);
  const double reduction = usable ? before - sum_of_values(there_) : -1, ratio = reduction / predicted;
  if (ratio > kArrowWorthwhile) {
    status_.step_norm = scale_.cwiseProduct(to - status_.x).norm() / std::max(scale_.cwiseProduct(status_.x).norm(), std::numeric_limits<double>::min());
    std::swap(at_, there_);
    status_.x = to;
    status_.value = before - reduction;
    status_.action = "step accepted";
    prepare(problem);
    damping_ *= std::max(1.0 / 3, 1 - std::pow(2 * ratio - 1, 3));
    growth_ = 2;
    if (reduction <= tolerance_ * before && predicted <= tolerance_ * before) begin_closing(StopReason::value, "step accepted");
    return;
  }
  damping_ *= growth_;
  growth_ *= 2;
  status_.action = usable ? "step refused, more damping" : "point refused: no finite value, more damping";
  if (!(damping_ <= kMostDamping)) begin_closing(StopReason::step, "no further step");
}

// Undamped steps, as long as they bring the residual nearer to a right angle.
void ArrowLevenbergMarquardt::close(Problem& problem) {
  status_.action = "closing step refused";
  status_.reason = claim_;
  if (!undamped_) undamped_.emplace(step(problem, 0));
  const double offset = undamped_->reducible();
  const VectorXd to = moved(problem, undamped_->step());
  if (!(offset > 0) || closing_steps_ >= kClosingSteps || to == status_.x) {
    status_.action = "no further step";
    return;
  }
  if (!problem.arrow()->linearise_groups(to, there_)) return;
  const double value = sum_of_values(there_);
  if (value > status_.value * (1 + kArrowSameValue)) return;
  const VectorXd from = status_.x, scale = scale_;
  const double gradient_norm = status_.gradient_norm;
  std::swap(at_, there_);
  status_.x = to;
  prepare(problem);
  undamped_.emplace(step(problem, 0));
  if (undamped_->reducible() / std::sqrt(value) < offset / std::sqrt(status_.value)) {
    status_.value = value;
    status_.action = "closing step, Gauss-Newton";
    status_.reason = StopReason::none;
    ++closing_steps_;
    return;
  }
  std::swap(at_, there_);
  status_.x = from;
  status_.gradient_norm = gradient_norm;
  scale_ = scale;
  known_ = false;
}

void ArrowLevenbergMarquardt::visit(StateVisitor& v) {
  const VectorXd before = status_.x;
  visit_status(v, status_);
  v.within("scale", scale_, status_.x.size(), 0, kInfinity);
  v.within("damping", damping_, 0, kInfinity);
  v.within("growth", growth_, 0, kInfinity);
  v.flag("closing", closing_);
  v.small("closing_steps", closing_steps_);
  visit_reason(v, "claim", claim_);
  known_ = known_ && before.size() == status_.x.size() && before == status_.x;
}

}  // namespace tundrel
