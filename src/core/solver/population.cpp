#include "population.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "../step/nearest_point.h"

namespace tundrel {
namespace {

// More points are not asked for while others are waited for.
constexpr int kMostAtOnce = 100000;
// The allowance for conditions halves with so many points a parameter, and is nothing below this share of its first.
// More points at once than this are not asked for.
constexpr Eigen::Index kPopulationMostPoints = 1000000;
constexpr double kHalving = 60, kPopulationNothing = 1e-6;

double finite_or_worst(double x) { return std::isfinite(x) ? x : kWorst; }

Eigen::MatrixXd some_columns(const Eigen::MatrixXd& from, const std::vector<int>& places) {
  Eigen::MatrixXd out(from.rows(), static_cast<Eigen::Index>(places.size()));
  for (std::size_t k = 0; k < places.size(); ++k) out.col(static_cast<Eigen::Index>(k)) = from.col(places[k]);
  return out;
}

}  // namespace

PopulationSolver::PopulationSolver(Common common) : random_(static_cast<std::uint64_t>(common.seed)), common_(common) {}

void PopulationSolver::start(Problem& problem, const Eigen::VectorXd& x) {
  size_ = problem.box.size();
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  status_.value = std::numeric_limits<double>::infinity();
  status_.infeasibility = kWorst;
  status_.gradient_norm = std::numeric_limits<double>::quiet_NaN();
  status_.step_norm = 1;
  best_ = problem.box.to_unit(x);
  begin(best_);
}

const Eigen::MatrixXd& PopulationSolver::propose(Problem& problem) {
  if (points_.cols() == 0) {
    units_ = draw_round(problem);
    points_ = problem.box.from_units(units_);
    if (problem.only_inside && problem.joint) move_inside(problem);
    values_.resize(points_.cols());
    known_ = 0;
  }
  return points_;
}

// To the nearest points at which the conditions hold.
void PopulationSolver::move_inside(Problem& problem) {
  for (Eigen::Index k = 0; k < points_.cols(); ++k) {
    Eigen::VectorXd x = points_.col(k);
    if (problem.joint->misses(x).maxCoeff() <= 0 || !nearest_inside(*problem.joint, problem.bounds(), x)) continue;
    points_.col(k) = x;
    units_.col(k) = problem.box.to_unit(x);
  }
}

void PopulationSolver::iterate(Problem& problem) {
  if (waiting_.cols() > 0 && !takes_late()) return take_waiting(problem);
  if (problem.work.late && takes_late()) return iterate_late(problem);
  propose(problem);
  const int known = static_cast<int>(known_);
  const CalledFor search(problem.work, CallReason::search);
  record(problem, problem.values(points_.rightCols(points_.cols() - known)));
}

bool PopulationSolver::record(Problem& problem, const Eigen::VectorXd& values) {
  values_.segment(static_cast<int>(known_), values.size()) = values;
  known_ += static_cast<double>(values.size());
  if (known_ < static_cast<double>(values_.size())) return false;
  judge(problem);
  return true;
}

void PopulationSolver::iterate_late(Problem& problem) {
  const CalledFor search(problem.work, CallReason::search);
  if (points_.cols() == 0) {
    const Eigen::MatrixXd drawn = draw_round(problem);
    // those that are waited for have been granted
    const auto more = std::min(drawn.cols(), static_cast<Eigen::Index>(problem.work.affordable(kMostAtOnce)) - waiting_.cols());
    units_.resize(size_, waiting_.cols() + std::max<Eigen::Index>(0, more));
    units_ << waiting_, drawn.leftCols(units_.cols() - waiting_.cols());
    points_ = problem.box.from_units(units_);
    if (problem.only_inside && problem.joint) move_inside(problem);
    values_.setZero(points_.cols());
    known_ = 0;
  }
  std::vector<bool> to_come;
  const Eigen::VectorXd found = problem.values_so_far(points_, to_come);
  const Eigen::MatrixXd asked = units_, places = points_;
  std::vector<int> there, rest;
  for (int k = 0; k < static_cast<int>(to_come.size()); ++k) (to_come[static_cast<std::size_t>(k)] ? rest : there).push_back(k);
  waiting_ = some_columns(asked, rest);
  units_ = some_columns(asked, there);
  points_ = some_columns(places, there);
  values_ = some_columns(found.transpose(), there).transpose();
  judge(problem);
  if (status_.reason != StopReason::none && waiting_.cols() > 0) take_waiting(problem);
}

void PopulationSolver::take_waiting(Problem& problem) {
  const CalledFor search(problem.work, CallReason::search);
  const StopReason reason = status_.reason;
  units_ = waiting_;
  points_ = problem.box.from_units(units_);
  values_ = problem.values(points_);
  // what there was no time for is waited for no longer
  units_.conservativeResize(Eigen::NoChange, values_.size());
  points_.conservativeResize(Eigen::NoChange, values_.size());
  waiting_.resize(size_, 0);
  of_waiting_ = true;
  if (values_.size() > 0) judge(problem);
  of_waiting_ = false;
  points_.resize(0, 0);
  if (reason != StopReason::none) status_.reason = reason;
}

void PopulationSolver::judge(Problem& problem) {
  std::vector<Merit> merits;
  for (int k = 0; k < points_.cols(); ++k) {
    const double miss = problem.joint ? finite_or_worst(problem.joint->misses(points_.col(k)).sum()) : 0;
    merits.push_back({finite_or_worst(values_[k]), miss});
  }
  if (allowed_ < 0) {
    std::vector<double> misses;
    for (const Merit& m : merits) misses.push_back(m.miss);
    std::nth_element(misses.begin(), misses.begin() + misses.size() / 2, misses.end());
    const double middle = misses[misses.size() / 2] < kWorst ? misses[misses.size() / 2] : 0;
    negligible_ = kPopulationNothing * middle;
    least_allowed_ = problem.joint && problem.joint->n_equalities() > 0 ? negligible_ : 0;
    allowed_ = middle;
  }
  keep_best(merits);
  judge_round(problem, units_, merits);
  allowed_ *= std::pow(0.5, static_cast<double>(units_.cols()) / (kHalving * size_));
  if (allowed_ < negligible_) allowed_ = least_allowed_;
  shown_ = problem.box.from_units(population());
  points_.resize(0, 0);
}

// The best so far is judged strictly: an allowance is for the search alone.
void PopulationSolver::keep_best(const std::vector<Merit>& merits) {
  Merit best{status_.value, status_.infeasibility};
  for (std::size_t k = 0; k < merits.size(); ++k) {
    if (merits[k].value == kWorst || !merits[k].better_than(best, least_allowed_)) continue;
    best = merits[k];
    best_ = units_.col(static_cast<Eigen::Index>(k));
    status_.x = points_.col(static_cast<Eigen::Index>(k));
  }
  status_.value = best.value;
  status_.infeasibility = best.miss;
}

std::vector<int> PopulationSolver::ranked(const std::vector<Merit>& merits) const {
  std::vector<int> order(merits.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return better(merits[a], merits[b]); });
  return order;
}

void PopulationSolver::visit(StateVisitor& v) {
  visit_status(v, status_);
  v.small("size", size_);
  v.require(v.parameters() == StateVisitor::kAny || size_ == v.parameters(), "size");
  v.field("best", best_, size_);
  v.require_in_cube("best", best_);
  // those asked for last, which are nothing before the first round; while they are evaluated, in the parameters, too
  v.field("units", units_, StateVisitor::kAny, StateVisitor::kAny);
  v.require((units_.rows() == size_ || units_.size() == 0) && units_.cols() <= kPopulationMostPoints, "units");
  v.require_in_cube("units", units_);
  v.field("points", points_, StateVisitor::kAny, StateVisitor::kAny);
  v.require(points_.cols() == 0 || (points_.rows() == size_ && points_.cols() == units_.cols()), "points");
  v.field("waiting", waiting_, StateVisitor::kAny, StateVisitor::kAny);
  v.require((waiting_.rows() == size_ || waiting_.size() == 0) && waiting_.cols() <= kPopulationMostPoints, "waiting");
  v.require_in_cube("waiting", waiting_);
  v.field("shown", shown_, StateVisitor::kAny, StateVisitor::kAny);
  v.field("values_wanted", values_, StateVisitor::kAny);
  v.require(points_.cols() == 0 || values_.size() == points_.cols(), "values_wanted");
  v.within("known", known_, 0, static_cast<double>(values_.size()));
  v.require(known_ == std::floor(known_), "known");
  v.within("allowed", allowed_, -1, kInfinity);
  v.within("least_allowed", least_allowed_, 0, kInfinity);
  v.within("negligible", negligible_, 0, kInfinity);
  random_.visit(v);
  visit_more(v);
}

}  // namespace tundrel
