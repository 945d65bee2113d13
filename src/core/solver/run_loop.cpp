#include "run_loop.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <utility>

#include "snapshot.h"
#include "../verification/creases.h"

namespace tundrel {
namespace {

StopReason reason_of(Halt why) {
  return why == Halt::user ? StopReason::interrupted : why == Halt::evaluations ? StopReason::evaluations : StopReason::seconds;
}

// A walk that keeps ending on saddles is given up after so many; one that came to an end beyond all bounds after some more.
constexpr int kMostSaddles = 20, kMostPlacesLeft = 25;

}  // namespace

void Progress::visit(StateVisitor& v) {
  v.whole("iterations", iterations);
  v.whole("evaluations", evaluations);
  v.whole("refused", refused);
  v.within("seconds", seconds, 0, kInfinity);
  v.flag("refined", refined);
  v.small("saddles_left", saddles_left);
  visit_reason(v, "stop", reason);
}

Walk::Walk(Problem& problem, Solver& solver, Keep keep) : problem_(problem), solver_(solver), keep_(keep) {
  problem.sparing = problem.sparing || solver.is_sparing();
}

std::chrono::steady_clock::time_point Walk::now() const { return timed_ ? std::chrono::steady_clock::now() : began_; }

double Walk::elapsed() const { return before_ + std::chrono::duration<double>(now() - began_).count(); }

void Walk::count() {
  progress_.seconds = elapsed();
  progress_.evaluations = problem_.work.evaluations;
  progress_.refused = problem_.work.refused;
  progress_.refined = problem_.refined;
}

void Walk::record(const char* action) {
  count();
  const Status& s = solver_.status();
  progress_.reason = s.reason;
  go_on_ = !problem_.work.is_halted();
  if (keep_ == Keep::nothing) return;
  const Eigen::MatrixXd* members = keep_ == Keep::members ? solver_.members() : nullptr;
  trace_.push_back({progress_.iterations, progress_.evaluations, s.value, s.gradient_norm, s.step_norm,
                    s.infeasibility, progress_.seconds, action ? action : s.action, s.x, members ? *members : Eigen::MatrixXd(),
                    keep_ == Keep::members ? solver_.spread() : Eigen::MatrixXd()});
}

void Walk::allow(const Budget& budget) {
  timed_ = keep_ != Keep::nothing || std::isfinite(budget.seconds) || std::isfinite(budget.pause_seconds);
  began_ = now();
  before_ = progress_.seconds;
  problem_.work.most_evaluations = budget.evaluations;
  problem_.work.out_of_time = std::isfinite(budget.seconds) ? began_ + Evaluation::ticks(budget.seconds - before_) : std::chrono::steady_clock::time_point::max();
}

void Walk::begin(const Eigen::VectorXd& start, std::int64_t spent) {
  progress_ = Progress();
  problem_.work.evaluations = progress_.evaluations = spent;
  began_ = now();
  before_ = 0;
  {
    const CalledFor first(problem_.work, CallReason::start);
    solver_.start(problem_, start);
  }
  // Others than local solvers have seen no value yet.
  if (solver_.is_local()) record();
}

void Walk::go_on(const Progress& progress, std::int64_t spent) {
  progress_ = progress;
  progress_.evaluations += spent;
  take_over(progress_);
}

void Walk::take_over(const Progress& progress) {
  problem_.work.evaluations = progress.evaluations;
  problem_.work.refused = progress.refused;
  problem_.refined = progress.refined;
}

void Walk::settle_count() {
  if (problem_.calls_user()) {
    progress_.evaluations = problem_.work.evaluations;
    progress_.refused = problem_.work.refused;
    problem_.refined = progress_.refined;
  } else {
    take_over(progress_);
  }
}

void Walk::halted(Halt why) {
  if (why == Halt::user)
    go_on_ = false;
  else
    progress_.reason = reason_of(why);
}

void Walk::advance(const Budget& budget) {
  looks_ = budget.verified;
  allow(budget);
  const double left = std::min(budget.seconds - before_, budget.pause_seconds);
  problem_.work.deadline = std::isfinite(left) ? began_ + Evaluation::ticks(left) : std::chrono::steady_clock::time_point::max();
  const std::int64_t first = progress_.iterations;
  // A budget that ran out earlier may have been raised.
  progress_.reason = solver_.status().reason;
  if (progress_.iterations == 0) check_claim();
  while (progress_.reason == StopReason::none) {
    const Status& status = solver_.status();
    if (!go_on_)
      progress_.reason = StopReason::interrupted;
    else if (status.value <= budget.target && status.infeasibility <= 0)
      progress_.reason = StopReason::target;
    else if (static_cast<double>(progress_.evaluations) >= budget.evaluations)
      progress_.reason = StopReason::evaluations;
    else if (static_cast<double>(progress_.iterations) >= budget.iterations)
      progress_.reason = StopReason::iterations;
    else if (progress_.seconds >= budget.seconds)
      progress_.reason = StopReason::seconds;
    if (progress_.reason != StopReason::none) break;
    if (static_cast<double>(progress_.iterations - first) >= budget.pause_iterations || progress_.seconds - before_ >= budget.pause_seconds) break;
    if (!iterate()) continue;
    if (solver_.under_way()) {
      count();
      go_on_ = !problem_.work.is_halted();
      continue;
    }
    ++progress_.iterations;
    record();
    check_claim();
  }
  progress_.seconds = elapsed();
}

// Only derivatives that are exact tell a kink from a bend.
bool Walk::may_rest_on_creases() const {
  return !verified_->converged && problem_.squares() && !problem_.arrow() && !problem_.joint && !problem_.calls_user();
}

void Walk::check_claim() {
  const StopReason claim = solver_.status().reason;
  if (!looks_ || !claims_optimum(claim) || !solver_.is_local()) return;
  Eigen::VectorXd lower;
  bool leaves = false;
  const char* how = nullptr;
  const CalledFor check(problem_.work, CallReason::check);
  try {
    verified_ = verify(problem_, solver_.status().x);
    if (verified_->way_down.size() > 0 && progress_.saddles_left < kMostSaddles) {
      leaves = leave_along(problem_, solver_.status().x, solver_.status().value, verified_->way_down, lower);
      how = verified_->gradient_norm <= kOptimalGradient ? "a saddle or maximum left behind" : "a place left behind from which no step led down";
    } else if (!verified_->runaway.empty() && progress_.saddles_left < kMostPlacesLeft) {
      leaves = leave_over_infinity(problem_, solver_.status().x, solver_.status().value, verified_->runaway, lower);
      how = "from beyond all bounds to the other sign";
    }
    if (!leaves && !verified_->converged && verified_->way_down.size() == 0 && progress_.saddles_left < kMostPlacesLeft) {
      leaves = leave_to_limit(problem_, solver_.status().x, solver_.status().value, lower);
      how = "to a limit further out, where the value is no higher";
    }
    if (!leaves && may_rest_on_creases() && progress_.saddles_left < kMostSaddles) {
      leaves = settle_on_creases(problem_, solver_.status().x, lower);
      how = "on a kink of the model, and the other parameters settled";
    }
  } catch (const Halted& stop) {
    verified_.reset();
    settle_count();
    return halted(stop.why);
  }
  settle_count();
  if (!leaves) return;
  verified_.reset();
  ++progress_.saddles_left;
  problem_.refined = false;
  try {
    solver_.start(problem_, lower);
  } catch (const Halted& stop) {
    settle_count();
    return halted(stop.why);
  }
  ++progress_.iterations;
  record(how);
}

// FALSE where the user stopped it in the middle: then all is as it was before.
bool Walk::iterate() {
  std::optional<Snapshot> before;
  if (problem_.halts_midway()) solver_.visit(before.emplace());
  try {
    solver_.iterate(problem_);
    return true;
  } catch (const Halted& stop) {
    if (!before) throw;
    before->put_back = true;
    solver_.visit(*before);
    settle_count();
    halted(stop.why);
    return false;
  }
}

void Walk::record_values(PopulationSolver& solver, const Eigen::VectorXd& values) {
  began_ = now();
  before_ = progress_.seconds;
  problem_.work.evaluations += values.size();
  for (Eigen::Index k = 0; k < values.size(); ++k) problem_.work.refused += !std::isfinite(values[k]);
  const Eigen::MatrixXd& points = solver.propose(problem_);
  if (problem_.work.log)
    for (Eigen::Index k = 0; k < std::min(values.size(), points.cols()); ++k)
      problem_.work.log->add({points.col(k), Eigen::VectorXd(), values[k], !std::isfinite(values[k]), std::numeric_limits<double>::quiet_NaN(), CallReason::search});
  if (!solver.record(problem_, values)) return count();
  ++progress_.iterations;
  record();
}

// Of a walk that was cut short, the best point that was paid for.
RunResult Walk::best_of(RunResult result) const {
  if (solver_.expects_best() || result.reason == StopReason::none || claims_optimum(result.reason) || problem_.work.best_met.size() == 0) return result;
  if (std::isfinite(result.value) && (result.value <= problem_.work.best_value || solver_.status().infeasibility > 0)) return result;
  result.x = problem_.work.best_met;
  result.value = problem_.work.best_value;
  return result;
}

RunResult Walk::result() {
  const Status& status = solver_.status();
  RunResult result;
  result.x = status.x;
  result.value = status.value;
  result.advised_rate = status.advised_rate;
  result.progress = progress_;
  result.trace = std::move(trace_);
  trace_.clear();
  result.claim = result.reason = progress_.reason;
  if (result.reason == StopReason::none || result.reason == StopReason::failed || !solver_.is_local()) return best_of(std::move(result));
  if (!looks_) return best_of(std::move(result));
  const CalledFor check(problem_.work, CallReason::check);
  try {
    // what a walk that was cut short costs to look at, its user has not granted
    if (verified_) {
      result.verification = std::move(*verified_);
      verified_.reset();
    } else if (!problem_.calls_user() || claims_optimum(result.reason)) {
      result.verification = verify(problem_, result.x);
    }
  } catch (const Halted& stop) {
    result.reason = reason_of(stop.why);
  }
  settle_count();
  result.progress = progress_;
  if (!claims_optimum(result.reason)) return best_of(std::move(result));
  result.converged = result.verification.converged;
  if (!result.converged) result.reason = result.verification.reason;
  return result;
}

RunResult not_begun(const Problem& problem, const Eigen::VectorXd& start, Halt why) {
  RunResult out;
  const bool met = problem.work.best_met.size() > 0;
  out.x = met ? problem.work.best_met : start;
  out.value = met ? problem.work.best_value : std::numeric_limits<double>::quiet_NaN();
  out.reason = out.claim = reason_of(why);
  out.progress.evaluations = problem.work.evaluations;
  out.progress.refused = problem.work.refused;
  return out;
}

RunResult run(Problem& problem, Solver& solver, const Eigen::VectorXd& start, const Budget& budget, Keep keep) {
  Walk walk(problem, solver, keep);
  walk.allow(budget);
  try {
    if (problem.work.is_halted()) throw Halted();
    walk.begin(start);
  } catch (const Halted& stop) {
    return not_begun(problem, start, stop.why);
  }
  walk.advance(budget);
  return walk.result();
}

}  // namespace tundrel
