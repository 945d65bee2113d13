#include "secant_levenberg_marquardt.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "../numbers.h"
#include "../problem/triangular_factor.h"
#include "trust_region.h"

namespace tundrel {
namespace {

constexpr double kSecantShorter = 0.5;
// Closing begins below the first relative offset, where a call no longer leaves less than a share of it; where that was too early, at this share
// of it.
constexpr double kSecantNear = 1e-3, kFast = 0.4, kNearer = 0.03;
// It ends below this offset, or where a step moves no parameter by more than this share of itself.
constexpr double kDone = 1e-8, kSecantNothingLeft = kEpsilon;
// Steps of Gauss-Newton go on while each leaves less than this share of the offset; of any kind there are so many.
// With a tolerance from this one on, forward differences serve to the end.
constexpr double kCoarse = 1e-6;
constexpr double kSecantFastShare = 0.03;
constexpr int kMostClosingSteps = 30;
// Share of a step at which it is asked how the residuals bend; and how near its length is to that of the region where it was cut short by it.
constexpr double kOnTheWay = 0.1, kNearlyAll = 0.9;
// Of steps shorter than this share of the point, differences cannot tell how they bend.
constexpr double kNarrow = 1e-4;
constexpr double kSecantSameValue = 1e-11;

}  // namespace

bool SecantLevenbergMarquardt::make_differences(Problem& problem) {
  doubted_ = false;
  if (!problem.squares()->rows(status_.x, residuals_, &jacobian_)) return false;
  made_ = problem.refined ? Made::by_central : Made::by_forward;
  triangulate();
  return here_.at.usable;
}

void SecantLevenbergMarquardt::triangulate() {
  const auto p = jacobian_.cols();
  TriangularFactor factor(static_cast<int>(p) + 1, static_cast<int>(std::min<std::int64_t>(kBlockRows, jacobian_.rows())));
  std::vector<const double*> places(static_cast<std::size_t>(p) + 1);
  for (Eigen::Index first = 0; first < jacobian_.rows(); first += kBlockRows) {
    for (Eigen::Index j = 0; j < p; ++j) places[static_cast<std::size_t>(j)] = jacobian_.col(j).data() + first;
    places[static_cast<std::size_t>(p)] = residuals_.data() + first;
    factor.fold(places.data(), static_cast<int>(std::min<Eigen::Index>(kBlockRows, jacobian_.rows() - first)));
  }
  here_.at.set(residuals_.squaredNorm(), factor.triangle());
}

// What the residuals did along a step, the Jacobian is to say of it; of directions at right angles it says what it said.
void SecantLevenbergMarquardt::correct(const Eigen::VectorXd& step, const Eigen::VectorXd& residuals) {
  const Eigen::VectorXd weighted = here_.scale.cwiseAbs2().cwiseProduct(step);
  const double square = weighted.dot(step);
  if (square > 0) jacobian_ += (residuals - residuals_ - jacobian_ * step) * (weighted / square).transpose();
  made_ = Made::by_secants;
}

void SecantLevenbergMarquardt::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  closing_ = Closing::no;
  claim_ = StopReason::none;
  near_ = kSecantNear;
  gain_ = 0;
  doubted_ = useless_ = fast_ = false;
  closing_steps_ = 0;
  if (!make_differences(problem)) {
    status_.value = here_.at.value;
    status_.reason = StopReason::failed;
    return;
  }
  here_.scale = here_.first_scale(problem);
  move(problem, x);
  const double length = scaled_length(here_.scale, x);
  radius_ = first_radius_ * (length > 0 ? length : here_.at.residual_norm());
  if (!(radius_ > 0)) radius_ = first_radius_;
  if (status_.gradient_norm <= tolerance_) begin_closing(StopReason::gradient);
}

// Where residuals and Jacobian are known already.
void SecantLevenbergMarquardt::move(Problem& problem, const Eigen::VectorXd& to) {
  status_.x = to;
  const Eigen::VectorXd scale = here_.scale;
  here_.complete(problem, to, scale);
  status_.value = here_.at.value;
  status_.gradient_norm = here_.gradient_norm;
}

void SecantLevenbergMarquardt::begin_closing(StopReason claim) {
  closing_ = Closing::gauss_newton;
  claim_ = claim;
  left_ = kInfinity;
}

void SecantLevenbergMarquardt::shrink(double length) {
  radius_ = kSecantShorter * std::min(radius_, length);
  if (radius_ <= kEpsilon * scaled_length(here_.scale, status_.x)) status_.reason = StopReason::stalled;
}

void SecantLevenbergMarquardt::iterate(Problem& problem) {
  if (closing_ != Closing::no) return close(problem);
  if (!doubted_) return walk(problem);
  status_.action = "derivatives by differences";
  if (make_differences(problem))
    move(problem, status_.x);
  else
    status_.reason = StopReason::stalled;
}

// How the residuals bend along the step, one call on the way tells.
SquaresPlace::Bend SecantLevenbergMarquardt::accelerate(Problem& problem) {
  using Bend = SquaresPlace::Bend;
  const Eigen::VectorXd& x = status_.x;
  Eigen::VectorXd residuals;
  if (here_.cut_short(step_, radius_) || !problem.squares()->rows(problem.bounds().along(x, step_, kOnTheWay), residuals, nullptr)) return Bend::none;
  const Eigen::VectorXd second = 2 / kOnTheWay * ((residuals - residuals_) / kOnTheWay - jacobian_ * step_);
  return here_.add_bend(problem, x, jacobian_.transpose() * second, radius_, step_);
}

void SecantLevenbergMarquardt::walk(Problem& problem) {
  const Eigen::VectorXd& x = status_.x;
  const double size = scaled_length(here_.scale, x);
  double length = 0, predicted = 0;
  // Stopping parameters at their bounds can spoil a long step; a short one always leads down.
  for (;; radius_ *= kSecantShorter) {
    bounded_step(problem, x, here_.at, here_.unheld, here_.scale, radius_, here_.linear, step_);
    problem.bounds().go_along(x, step_, 1, to_);
    step_ = to_ - x;
    length = scaled_length(here_.scale, step_);
    predicted = here_.at.promised(step_);
    if (predicted > 0 || !(length > kEpsilon * size)) break;
  }
  status_.step_norm = size > 0 ? length / size : length;
  const StopReason reason = !(length > 0) || !(predicted > 0)               ? StopReason::step
                            : status_.gradient_norm <= near_ && !fast_      ? StopReason::gradient
                            : predicted <= near_ * near_ * here_.at.value ? StopReason::value
                            : radius_ <= tolerance_ * size                  ? StopReason::step
                                                                            : StopReason::none;
  if (reason != StopReason::none) {
    status_.action = "close";
    return begin_closing(reason);
  }
  const bool made_here = made_ != Made::by_secants, damped = length > kNearlyAll * radius_;
  auto bend = SquaresPlace::Bend::none;
  if (made_here && damped && length > kNarrow * size) {
    bend = accelerate(problem);
    if (bend == SquaresPlace::Bend::too_much) {
      status_.action = "step refused: the path bends too much, region smaller";
      return shrink(length);
    }
    if (bend == SquaresPlace::Bend::added) problem.bounds().go_along(x, step_, 1, to_);
  }
  const Eigen::VectorXd step = to_ - x;
  if (!problem.squares()->rows(to_, there_, nullptr)) {
    status_.action = "point refused: no finite value, region smaller";
    return shrink(length);
  }
  const double value = there_.squaredNorm(), ratio = (here_.at.value - value) / predicted;
  // Whether the region or the Jacobian is to blame, only a Jacobian that was made here can say.
  const bool accepted = ratio >= (made_here ? kAccepted : kPoor);
  if (ratio < kPoor) {
    if (made_here) shrink(length);
    doubted_ = !made_here || accepted;
  }
  // What a call has brought since the last differences, against what one brought that went with them.
  if (accepted) {
    const double gain = std::log(here_.at.value / value);
    if (made_here)
      gain_ = gain / static_cast<double>(x.size() + 1);
    else if (gain < gain_)
      doubted_ = true;
  }
  // Where steps are cut short and corrected Jacobians have been of no use, they are not tried.
  if (!made_here) useless_ = !accepted;
  if (made_here && damped && useless_) doubted_ = true;
  // A corrected Jacobian has to do well before it may go farther than what it was corrected by.
  if (ratio > kGood) radius_ = made_here && !doubted_ ? length : std::max(radius_, 2 * length);
  if (!accepted) {
    status_.action = made_here ? "step refused, region smaller" : "step refused, Jacobian doubted";
    return;
  }
  correct(step, there_);
  residuals_ = there_;
  triangulate();
  const double before = status_.gradient_norm;
  move(problem, to_);
  fast_ = status_.gradient_norm <= kFast * before && status_.gradient_norm > kDone;
  status_.action = ratio < kPoor ? "step accepted, Jacobian doubted" : ratio > kGood ? "step accepted, region larger" : bend == SquaresPlace::Bend::added ? "bent step accepted" : "step accepted";
}

void SecantLevenbergMarquardt::close(Problem& problem) {
  // forward differences tell offsets down to about their own error
  const bool coarse = tolerance_ >= kCoarse;
  if (!coarse) problem.refine();
  if (made_ == Made::by_secants || (made_ == Made::by_forward && !coarse)) {
    status_.action = coarse ? "derivatives by differences" : "derivatives by central differences";
    if (!make_differences(problem)) {
      status_.reason = claim_;
      return;
    }
    move(problem, status_.x);
    if (status_.gradient_norm <= std::max(near_, kSecantNear * kNearer) || closing_steps_ >= kMostClosingSteps) return;
    // secants have flattered
    status_.action = coarse ? "derivatives by differences: not near yet" : "derivatives by central differences: not near yet";
    near_ *= kNearer;
    closing_ = Closing::no;
    problem.refined = false;
    radius_ = std::max(radius_, scaled_length(here_.scale, step_));
    return;
  }
  const double left = status_.gradient_norm;
  if (left <= std::max(kDone, tolerance_) || closing_steps_ >= kMostClosingSteps) {
    status_.action = "no further step";
    status_.reason = claim_;
    return;
  }
  if (closing_ == Closing::gauss_newton && left > kSecantFastShare * left_) {
    Eigen::MatrixXd noise;
    if (problem.squares()->verified_curvature(status_.x, curvature_, noise)) closing_ = Closing::newton;
  }
  double bending = 0;
  if (closing_ != Closing::newton || !here_.newton_step(problem, status_.x, curvature_, step_, bending))
    bounded_step(problem, status_.x, here_.at, here_.unheld, here_.scale, kInfinity, here_.linear, step_);
  const Eigen::VectorXd& x = status_.x;
  problem.bounds().go_along(x, step_, 1, to_);
  step_ = to_ - x;
  ++closing_steps_;
  status_.action = "no further step";
  const double size = scaled_length(here_.scale, x), length = scaled_length(here_.scale, step_);
  const double noise = kEpsilon * residual_scale(problem, x, here_.norms);
  const bool nothing = (step_.array().abs() <= kSecantNothingLeft * x.array().abs()).all();
  if (nothing || !problem.squares()->rows(to_, there_, nullptr) || there_.squaredNorm() > here_.at.value * (1 + kSecantSameValue) + noise * noise) {
    status_.reason = claim_;
    return;
  }
  left_ = left;
  correct(step_, there_);
  residuals_ = there_;
  triangulate();
  move(problem, to_);
  status_.step_norm = size > 0 ? length / size : length;
  status_.action = closing_ == Closing::newton ? "closing step, Newton" : "closing step, Gauss-Newton";
}

void SecantLevenbergMarquardt::visit(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size();
  v.flag("usable", here_.at.usable);
  v.require(here_.at.usable || status_.reason == StopReason::failed, "usable");
  v.field("residuals", residuals_, StateVisitor::kAny);
  v.field("jacobian", jacobian_, StateVisitor::kAny, p);
  v.require(!here_.at.usable || (residuals_.allFinite() && jacobian_.allFinite() && residuals_.size() == jacobian_.rows()), "jacobian");
  v.within("scale", here_.scale, p, 0, kInfinity);
  visit_places(v, "unheld", here_.unheld, p);
  v.within("radius", radius_, 0, kInfinity);
  v.whole("made", made_, 0, static_cast<double>(Made::by_central));
  v.flag("doubted", doubted_);
  v.flag("useless", useless_);
  v.flag("fast", fast_);
  v.field("gain", gain_);
  v.whole("closing", closing_, 0, static_cast<double>(Closing::newton));
  v.field("curvature", curvature_, closing_ == Closing::newton ? p : StateVisitor::kAny, closing_ == Closing::newton ? p : StateVisitor::kAny);
  visit_reason(v, "claim", claim_);
  v.within("left", left_, 0, kInfinity);
  v.within("near", near_, 0, 1);
  v.small("closing_steps", closing_steps_);
  v.finite("step", step_, StateVisitor::kAny);
  if (!here_.at.usable) return;
  triangulate();
  here_.complete_stored();
  here_.gradient_norm = status_.gradient_norm;
}

}  // namespace tundrel
