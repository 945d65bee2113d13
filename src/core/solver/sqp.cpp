#include "sqp.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "../decompositions.h"
#include "../problem/squares.h"
#include "../step/nearest_point.h"
#include "../step/sizes.h"
#include "../step/quadratic_program.h"
#include "solver_table.h"
#include "trust_region.h"

namespace tundrel {
namespace {

const RegisteredSolver sqp_entry{{
    "sqp", false, "first and second", kWithoutKinks, Honours::everything,
    {number_setting("first_radius", 1, 0, false)},
    "conditions between parameters", "many parameters",
    [](const SolverSettings& s) { return std::make_unique<Sqp>(Sqp::Settings{s.number("first_radius"), s.number("tolerance")}); }}};

constexpr double kSqpShorter = 0.25;
// Each condition's penalty exceeds its multiplier by this factor.
constexpr double kPenaltyMargin = 2;
// Changes of the value below the first share of it, or the second of what it was at the start, are rounding.
constexpr double kSqpSameValue = 1e-13, kSqpNothing = 1e-18;
constexpr double kLastDigits = 8 * std::numeric_limits<double>::epsilon();
// A step that makes up for misses has to lower the merit by the rest of what that is worth.
constexpr double kShareOfMisses = 0.7;
// Weight of violated conditions in the merit function, relative to the slopes and curvatures of the criterion.
constexpr double kRelaxing = 1e3;
constexpr int kSqpMostIdle = 2, kMostRestorations = 5, kMostPulls = 10;
// Curvatures below this share of the largest are lifted to it.
constexpr double kSqpLeastCurvature = 1e-12;
// Below this share the least place without conditions lies so far off that the quadratic program loses its digits on the way back.
constexpr double kFarMinimum = 1e-7;
// And below this share of the slope: a criterion that is a plane would have none.
constexpr double kLeastBend = 1e-5;
// Within this share of a parameter's size a step to a bound has met it.
constexpr double kOnBound = 1e-12;
// The same where the bound is active in the quadratic program.
constexpr double kNearBound = 1e-9;
// A condition that a step of this share of the sizes would meet is met but for rounding.
constexpr double kMetShare = 1e-13;

int count_of(const Problem& problem) { return problem.joint ? problem.joint->count() : 0; }
int equalities_of(const Problem& problem) { return problem.joint ? problem.joint->n_equalities() : 0; }

Eigen::VectorXd misses_of(const Eigen::VectorXd& values, int n_equalities) {
  Eigen::VectorXd out(values.size());
  for (int i = 0; i < values.size(); ++i) out[i] = i < n_equalities ? std::fabs(values[i]) : std::max(0.0, -values[i]);
  return out;
}

// Residuals are differences of readings and fitted values, and carry the rounding of these.
double rounding_of_squares(Problem& problem, double value) {
  return problem.squares() ? kLastDigits * problem.squares()->response_norm() * std::sqrt(std::fabs(value)) : 0;
}

// The nearest point that satisfies all conditions, inequalities also but for rounding, since a model need not have values beyond them.
bool brought_inside(const Problem& problem, const Eigen::VectorXd& sizes, Eigen::VectorXd& x) {
  const JointConditions& conditions = *problem.joint;
  if (!nearest_inside(conditions, problem.bounds(), x)) return false;
  for (int round = 0; round < kMostPulls; ++round) {
    const Eigen::VectorXd values = conditions.values(x);
    const Eigen::MatrixXd slopes = sizes.asDiagonal() * conditions.gradients(x);
    bool holds = true;
    for (int c = conditions.n_equalities(); c < values.size(); ++c) {
      if (values[c] >= 0) continue;
      holds = false;
      x += sizes.cwiseProduct(slopes.col(c)) * (2 * -values[c] / slopes.col(c).squaredNorm());
    }
    if (holds) return (x.array() >= problem.bounds().lower.array()).all() && (x.array() <= problem.bounds().upper.array()).all();
  }
  return false;
}

}  // namespace

void Sqp::accept(Problem& problem, const Eigen::VectorXd& x, Expansion at) {
  at_ = std::move(at);
  status_.x = x;
  status_.value = at_.value;
  sizes_ = parameter_sizes(problem, x);
  const int m = count_of(problem);
  condition_values_.resize(m);
  condition_slopes_.resize(x.size(), m);
  if (m > 0) {
    condition_values_ = problem.joint->values(x);
    condition_slopes_ = sizes_.asDiagonal() * problem.joint->gradients(x);
  }
  status_.infeasibility = m > 0 ? misses_of(condition_values_, equalities_of(problem)).maxCoeff() : 0;
}

void Sqp::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  idle_ = restorations_ = 0;
  penalties_ = Eigen::VectorXd::Zero(count_of(problem));
  radius_ = settings_.first_radius;
  multipliers_ = Eigen::VectorXd::Zero(count_of(problem));
  Expansion at = problem.expand(x);
  if (!at.usable) {
    status_.value = at.value;
    status_.reason = StopReason::failed;
    return;
  }
  accept(problem, x, std::move(at));
  first_size_ = std::fabs(status_.value);
}

// The slope in steps of the parameters' sizes, without what bounds and conditions hold.
Eigen::VectorXd Sqp::slope_left(const Problem& problem) const {
  Eigen::VectorXd slope = sizes_.cwiseProduct(at_.gradient);
  if (multipliers_.size() > 0) slope -= condition_slopes_ * multipliers_;
  for (int i = 0; i < slope.size(); ++i) {
    const double room = slope[i] > 0 ? -problem.bounds().reach_down(i, status_.x[i]) : problem.bounds().reach_up(i, status_.x[i]);
    if (room <= kOnBound * sizes_[i]) slope[i] = 0;
  }
  return slope;
}

// The Lagrange function's second derivatives in the parameters' sizes, made positive: first along the
// slopes of conditions that are active, where these decide anyway, then in every direction.
Eigen::MatrixXd Sqp::convex_model(const Problem& problem) const {
  Eigen::MatrixXd hessian = at_.hessian;
  const int m = count_of(problem);
  if (m > 0) hessian -= problem.joint->curvature(status_.x, multipliers_);
  Eigen::MatrixXd model = sizes_.asDiagonal() * hessian * sizes_.asDiagonal();
  SymmetricSpectrum eigen = symmetric_spectrum(model);
  const double slope = sizes_.cwiseProduct(at_.gradient).norm();
  double largest = std::max({eigen.values.cwiseAbs().maxCoeff(), kLeastBend * slope, std::numeric_limits<double>::min()});
  if (eigen.values[0] < kFarMinimum * largest) {
    for (int c = 0; c < m; ++c) {
      const double length = condition_slopes_.col(c).norm();
      if (!(length > 0)) continue;
      if (c < equalities_of(problem) || multipliers_[c] > 0) model += 10 * largest / (length * length) * condition_slopes_.col(c) * condition_slopes_.col(c).transpose();
    }
    eigen = symmetric_spectrum(model);
    largest = std::max(largest, eigen.values.cwiseAbs().maxCoeff());
  }
  const Eigen::VectorXd lifted = eigen.values.cwiseAbs().cwiseMax(std::max(kSqpLeastCurvature * largest, kLeastBend * slope_left(problem).norm()));
  return eigen.vectors * lifted.asDiagonal() * eigen.vectors.transpose();
}

Sqp::Step Sqp::solve_model(const Problem& problem, const Eigen::MatrixXd& model, const Eigen::VectorXd& values, Model kind) const {
  const Bounds& bounds = problem.bounds();
  const int p = static_cast<int>(sizes_.size()), m = count_of(problem), equalities = equalities_of(problem);
  // One more variable: the share of what is missed that need not be made up. Held at zero unless relaxed.
  const int n = kind == Model::relaxed ? p + 1 : p;
  std::vector<Eigen::VectorXd> normals;
  std::vector<double> offsets;
  std::vector<std::pair<Eigen::Index, int>> bounds_at;
  Eigen::VectorXd least(p), most(p);
  const auto add = [&](const Eigen::VectorXd& normal, double offset) {
    normals.push_back(normal);
    offsets.push_back(offset);
  };
  // Whatever their units, all conditions are distances here.
  Eigen::VectorXd lengths = condition_slopes_.colwise().norm();
  for (int c = 0; c < m; ++c) {
    if (!(lengths[c] > 0 && std::isfinite(lengths[c]))) lengths[c] = 1;
    const double distance = values[c] / lengths[c];
    Eigen::VectorXd normal = Eigen::VectorXd::Zero(n);
    normal.head(p) = condition_slopes_.col(c) / lengths[c];
    if (n > p) normal[p] = c < equalities ? -distance : std::max(0.0, -distance);
    add(normal, -distance);
  }
  for (int i = 0; i < p; ++i) {
    double down = bounds.reach_down(i, status_.x[i]) / sizes_[i], up = bounds.reach_up(i, status_.x[i]) / sizes_[i];
    if (kind != Model::unboxed) {
      down = std::max(down, -radius_);
      up = std::min(up, radius_);
    }
    least[i] = down;
    most[i] = up;
    // Multipliers show which of them are bounds of the problem and which sides of the trust region.
    if (std::isfinite(down)) {
      if (kind == Model::unboxed || down > -radius_) bounds_at.push_back({static_cast<Eigen::Index>(normals.size()), i});
      add(Eigen::VectorXd::Unit(n, i), down);
    }
    if (std::isfinite(up)) {
      if (kind == Model::unboxed || up < radius_) bounds_at.push_back({static_cast<Eigen::Index>(normals.size()), i});
      add(-Eigen::VectorXd::Unit(n, i), -up);
    }
  }
  QuadraticProgram program;
  program.curvature = model;
  program.slope = sizes_.cwiseProduct(at_.gradient);
  if (n > p) {
    add(Eigen::VectorXd::Unit(n, p), 0);
    add(-Eigen::VectorXd::Unit(n, p), -1);
    const double dear = kRelaxing * (program.slope.norm() + (sizes_.asDiagonal() * at_.hessian * sizes_.asDiagonal()).norm() + 1e-300);
    program.curvature.conservativeResize(n, n);
    program.curvature.row(p).setZero();
    program.curvature.col(p).setZero();
    program.curvature(p, p) = dear;
    program.slope.conservativeResize(n);
    program.slope[p] = dear;
  }
  program.normals.resize(n, static_cast<Eigen::Index>(normals.size()));
  program.offsets.resize(static_cast<Eigen::Index>(normals.size()));
  for (std::size_t k = 0; k < normals.size(); ++k) {
    program.normals.col(static_cast<Eigen::Index>(k)) = normals[k];
    program.offsets[static_cast<Eigen::Index>(k)] = offsets[k];
  }
  program.n_equalities = equalities;
  program.slack = kMetShare;
  const QuadraticSolution found = solve(program);
  if (!found.feasible || !found.x.allFinite()) return {};
  // The program meets limits but for rounding, which must promise nothing.
  Step step{true, found.x.head(p).cwiseMax(least).cwiseMin(most), found.multipliers.head(m).cwiseQuotient(lengths), {}};
  for (const auto& [constraint, i] : bounds_at)
    if (found.multipliers[constraint] > 0) step.onto_bound.push_back(i);
  return step;
}

void Sqp::restore(Problem& problem) {
  Eigen::VectorXd x = status_.x;
  status_.action = "restoration: nearest point inside";
  if (!problem.joint || !nearest_inside(*problem.joint, problem.bounds(), x)) {
    status_.reason = StopReason::infeasible;
    return;
  }
  // there is a point that meets all conditions, and the way on from it is not found
  if (++restorations_ > kMostRestorations) {
    status_.reason = StopReason::stalled;
    return;
  }
  Expansion at = problem.expand(x);
  if (!at.usable) {
    status_.reason = StopReason::stalled;
    return;
  }
  status_.step_norm = (x - status_.x).cwiseQuotient(sizes_).norm();
  radius_ = std::max(radius_, 0.1 * settings_.first_radius);
  accept(problem, x, std::move(at));
}

// Raises the penalties of what is made up, in steps of the parameters' sizes, until it is worth `least`.
void Sqp::make_worth(const Eigen::VectorXd& made_up, double least) {
  const double lacking = least - penalties_.dot(made_up);
  if (!(lacking > 0)) return;
  Eigen::VectorXd raise = Eigen::VectorXd::Zero(made_up.size());
  for (Eigen::Index c = 0; c < made_up.size(); ++c)
    if (made_up[c] > 0) raise[c] = 1 / std::max(condition_slopes_.col(c).norm(), std::numeric_limits<double>::min());
  const double worth = raise.dot(made_up);
  if (worth > 0) penalties_ += lacking / worth * raise;
}

void Sqp::iterate(Problem& problem) {
  const Bounds& bounds = problem.bounds();
  if (status_.gradient_norm > 0 && status_.gradient_norm < 1e-3) problem.refine();
  const Eigen::MatrixXd model = convex_model(problem);
  Step step = solve_model(problem, model, condition_values_, Model::boxed);
  const bool relaxed = !step.feasible;
  if (relaxed) step = solve_model(problem, model, condition_values_, Model::relaxed);
  if (!step.feasible || (relaxed && step.move.norm() <= settings_.tolerance)) return restore(problem);
  const int equalities = equalities_of(problem);
  const auto moved = [&](const Step& taken) {
    const Eigen::VectorXd& move = taken.move;
    Eigen::VectorXd to(move.size());
    for (int i = 0; i < move.size(); ++i) {
      const bool onto = std::find(taken.onto_bound.begin(), taken.onto_bound.end(), i) != taken.onto_bound.end();
      const double wanted = move[i] * sizes_[i], slack = (onto ? kNearBound : kOnBound) * sizes_[i];
      const double down = bounds.reach_down(i, status_.x[i]), up = bounds.reach_up(i, status_.x[i]);
      // The quadratic program meets a bound but for rounding; the point is put on it.
      const double step = wanted <= down + slack ? down : wanted >= up - slack ? up : wanted;
      to[i] = step == 0 ? status_.x[i] : bounds.moved(i, status_.x[i], step);
    }
    return to;
  };
  const double length = step.move.lpNorm<Eigen::Infinity>();
  const bool whole = length < radius_ * (1 - 1e-12);
  // Powell's rule: multipliers of far points are forgotten by and by. Each condition has its own, since each has its own unit.
  if (step.multipliers.size() > 0 && !relaxed) {
    const Eigen::VectorXd needed = kPenaltyMargin * step.multipliers.cwiseAbs();
    penalties_ = needed.cwiseMax(0.5 * (penalties_ + needed));
  }
  const Eigen::VectorXd misses = misses_of(condition_values_, equalities);
  const Eigen::VectorXd linear = condition_values_ + condition_slopes_.transpose() * step.move;
  const double quadratic = sizes_.cwiseProduct(at_.gradient).dot(step.move) + 0.5 * step.move.dot(model * step.move);
  const Eigen::VectorXd made_up = misses - misses_of(linear, equalities);
  make_worth(made_up, quadratic / kShareOfMisses);
  const double predicted = -quadratic + penalties_.dot(made_up);
  if (whole) status_.gradient_norm = step.move.norm();
  if (length == 0) {
    status_.action = "no further step";
    status_.reason = status_.infeasibility > 0 && restorations_ > kMostRestorations ? StopReason::infeasible : StopReason::gradient;
    multipliers_ = step.multipliers;
    return;
  }
  const double before = merit(at_.value, misses);
  const double rounding = kSqpSameValue * (std::fabs(before) + penalties_.dot(misses)) + kSqpNothing * first_size_ + rounding_of_squares(problem, at_.value);
  Eigen::VectorXd to = moved(step);
  double value = problem.value(to);
  const auto misses_at = [&](const Eigen::VectorXd& x) { return problem.joint ? problem.joint->misses(x) : Eigen::VectorXd(0); };
  const auto ratio_of = [&](double at, const Eigen::VectorXd& x) {
    if (!std::isfinite(at)) return -1.0;
    const double change = before - merit(at, misses_at(x));
    if (std::fabs(predicted) <= rounding && std::fabs(change) <= 10 * rounding) return 1.0;
    return predicted > 0 ? change / predicted : -1.0;
  };
  double ratio = ratio_of(value, to);
  const char* kind = "step accepted";
  if (!std::isfinite(value) && problem.joint && misses_at(to).maxCoeff() > 0) {
    Eigen::VectorXd inside = to;
    if (brought_inside(problem, sizes_, inside)) {
      to = inside;
      value = problem.value(to);
      ratio = ratio_of(value, to);
      kind = "step accepted, brought inside the conditions";
    }
  }
  if (ratio < kPoor && std::isfinite(value) && problem.joint && !relaxed) {
    // Second-order correction: conditions as they are at the end of the step, not as linearised.
    const Eigen::VectorXd corrected = problem.joint->values(to) - condition_slopes_.transpose() * step.move;
    const Step second = solve_model(problem, model, corrected, Model::unboxed);
    if (second.feasible && second.move.norm() <= 2 * step.move.norm()) {
      const Eigen::VectorXd there = moved(second);
      const double again = problem.value(there), other = ratio_of(again, there);
      if (other > ratio) {
        to = there;
        value = again;
        ratio = other;
        kind = "step accepted, corrected for curved conditions";
      }
    }
  }
  status_.step_norm = length;
  Expansion trial;
  if (ratio >= kAccepted) trial = problem.expand(to);
  if (!trial.usable) {
    status_.action = ratio < kAccepted && std::isfinite(value) ? "step refused, region smaller" : "point refused: no finite value, region smaller";
    radius_ = kSqpShorter * std::min(radius_, length);
    if (radius_ <= 1e-3 * settings_.tolerance) status_.reason = StopReason::step;
    return;
  }
  if (ratio < kPoor)
    radius_ = kSqpShorter * std::min(radius_, length);
  else if (ratio > kGood)
    radius_ = std::max(radius_, 2 * length);
  // The multipliers of a relaxed program measure the cost of relaxing, not the conditions.
  if (!relaxed) multipliers_ = step.multipliers;
  const double fell = std::fabs(before - merit(trial.value, misses_at(to)));
  accept(problem, to, std::move(trial));
  status_.action = kind;
  const bool idle = fell <= rounding || length <= 0.1 * settings_.tolerance;
  idle_ = idle ? idle_ + 1 : 0;
  if (length <= 1e-3 * settings_.tolerance || idle_ >= kSqpMostIdle)
    status_.reason = length <= settings_.tolerance ? StopReason::gradient : StopReason::value;
}

void Sqp::visit(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size(), m = v.conditions();
  v.flag("usable", at_.usable);
  v.require(at_.usable || status_.reason == StopReason::failed, "usable");
  v.finite("gradient", at_.gradient, p);
  v.finite("hessian", at_.hessian, p, p);
  v.within("sizes", sizes_, p, 0, kInfinity);
  v.finite("multipliers", multipliers_, m);
  v.finite("condition_values", condition_values_, m);
  v.finite("condition_slopes", condition_slopes_, p, m);
  v.within("radius", radius_, 0, kInfinity);
  v.within("penalties", penalties_, m, 0, kInfinity);
  v.field("first_size", first_size_);
  v.small("idle", idle_);
  v.small("restorations", restorations_);
  at_.value = status_.value;
}

}  // namespace tundrel
