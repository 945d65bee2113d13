#include <cstdint>
#include <stdexcept>

#include "bridge.h"
#include <algorithm>

#include "core/step/kink_balance.h"
#include "core/solver/many_starts.h"
#include "core/step/nearest_point.h"
#include "core/solver/run_loop.h"
#include "core/solver/solver_table.h"
#include "core/solver/start_search.h"
#include "core/solver/surrogate.h"
#include "core/problem/squares.h"
#include "core/problem/kinks.h"

// R sees a condition of this class.
namespace tundrel {
struct DamagedState : std::runtime_error {
  using std::runtime_error::runtime_error;
};
}  // namespace tundrel

namespace {

using namespace tundrel;

// Stores every field in a list of matrices.
class StateToR : public StateVisitor {
 public:
  void field(const char* name, double& x) override { keep(name, Rcpp::NumericVector::create(x)); }
  void field(const char* name, Eigen::VectorXd& x, Eigen::Index) override { keep(name, vector_to_r(x)); }
  void field(const char* name, Eigen::MatrixXd& x, Eigen::Index, Eigen::Index) override { keep(name, matrix_to_r(x)); }
  Rcpp::List fields() const {
    Rcpp::List out(fields_.begin(), fields_.end());
    out.names() = Rcpp::CharacterVector(names_.begin(), names_.end());
    return out;
  }

 private:
  // A list that grew would be copied each time.
  void keep(const char* name, const Rcpp::RObject& x) {
    names_.emplace_back(name);
    fields_.push_back(x);
  }
  std::vector<std::string> names_;
  std::vector<Rcpp::RObject> fields_;
};

// What has been stored, which may have been a file's: nothing of it is taken on trust.
class StateFromR : public StateVisitor {
 public:
  StateFromR(const Rcpp::List& fields, Problem& problem)
      : fields_(fields), parameters_(problem.size()), conditions_(problem.joint ? problem.joint->count() : 0),
        least_value_(problem.least_value()) {}
  Eigen::Index parameters() const override { return parameters_; }
  Eigen::Index conditions() const override { return conditions_; }
  double least_value() const override { return least_value_; }
  void field(const char* name, double& x) override {
    const SEXP found = numbers(name);
    require(Rf_xlength(found) == 1, name);
    x = REAL(found)[0];
  }
  void field(const char* name, Eigen::VectorXd& x, Eigen::Index size) override {
    const SEXP found = numbers(name);
    require(size == kAny || Rf_xlength(found) == size, name);
    x = Eigen::Map<const Eigen::VectorXd>(REAL(found), Rf_xlength(found));
  }
  void field(const char* name, Eigen::MatrixXd& x, Eigen::Index rows, Eigen::Index columns) override {
    const SEXP found = numbers(name);
    require(Rf_isMatrix(found), name);
    require((rows == kAny || Rf_nrows(found) == rows) && (columns == kAny || Rf_ncols(found) == columns), name);
    x = Eigen::Map<const Eigen::MatrixXd>(REAL(found), Rf_nrows(found), Rf_ncols(found));
  }
  void require(bool holds, const char* name) override {
    if (!holds) throw DamagedState(std::string("the stored state has an impossible '") + name + "'");
  }

 private:
  SEXP numbers(const char* name) {
    if (!fields_.containsElementNamed(name)) throw DamagedState(std::string("the stored state lacks '") + name + "'");
    const SEXP found = fields_[name];
    require(TYPEOF(found) == REALSXP, name);
    return found;
  }
  const Rcpp::List& fields_;
  Eigen::Index parameters_, conditions_;
  double least_value_;
};

// What was kept at each iteration, if anything: a matrix a row of the trace.
Rcpp::List kept_to_r(const std::vector<TraceRow>& trace, Eigen::MatrixXd TraceRow::*part) {
  if (trace.empty() || (trace[0].*part).size() == 0) return Rcpp::List();
  Rcpp::List out;
  for (const TraceRow& row : trace) out.push_back(matrix_to_r(row.*part));
  return out;
}

Rcpp::List trace_to_r(Problem& problem, const std::vector<TraceRow>& trace) {
  const int n = static_cast<int>(trace.size());
  const int p = n ? static_cast<int>(problem.whole(trace[0].x).size()) : 0;
  Rcpp::NumericVector iteration(n), evaluations(n), value(n), gradient_norm(n), step_norm(n),
      infeasibility(n), seconds(n);
  Rcpp::CharacterVector action(n);
  Rcpp::NumericMatrix x(n, p);
  for (int i = 0; i < n; ++i) {
    const TraceRow& row = trace[i];
    iteration[i] = row.iteration;
    evaluations[i] = row.evaluations;
    value[i] = row.value;
    gradient_norm[i] = row.gradient_norm;
    step_norm[i] = row.step_norm;
    infeasibility[i] = row.infeasibility;
    seconds[i] = row.seconds;
    action[i] = row.action;
    const Eigen::VectorXd at = problem.whole(row.x);
    for (int j = 0; j < p; ++j) x(i, j) = at[j];
  }
  using Rcpp::_;
  return Rcpp::List::create(_["iteration"] = iteration, _["evaluations"] = evaluations,
                            _["value"] = value, _["gradient_norm"] = gradient_norm,
                            _["step_norm"] = step_norm, _["infeasibility"] = infeasibility,
                            _["seconds"] = seconds, _["action"] = action, _["x"] = x, _["members"] = kept_to_r(trace, &TraceRow::members), _["spread"] = kept_to_r(trace, &TraceRow::spread));
}

Rcpp::IntegerVector places_to_r(const std::vector<int>& places) {
  Rcpp::IntegerVector out(places.begin(), places.end());
  for (int& place : out) ++place;
  return out;
}

// A run as R keeps it, with the state of its solver where it may be gone on with.
Rcpp::List run_to_r(Problem& problem, Solver* solver, RunResult run) {
  StateToR visitor;
  if (solver != nullptr) {
    run.progress.visit(visitor);
    solver->visit(visitor);
  }
  const Verification& v = run.verification;
  using Rcpp::_;
  Rcpp::List out = Rcpp::List::create(
      _["x"] = vector_to_r(problem.whole(run.x)), _["value"] = run.value, _["converged"] = run.converged,
      _["reason"] = name_of(run.reason), _["claim"] = name_of(run.claim),
      _["iterations"] = static_cast<double>(run.progress.iterations),
      _["evaluations"] = static_cast<double>(run.progress.evaluations),
      _["refused"] = static_cast<double>(run.progress.refused), _["seconds"] = run.progress.seconds,
      _["trace"] = trace_to_r(problem, run.trace), _["gradient_norm"] = v.gradient_norm,
      _["rank"] = v.rank, _["n_alive"] = v.n_alive, _["dead"] = places_to_r(v.dead), _["runaway"] = places_to_r(v.runaway),
      _["factor"] = matrix_to_r(v.factor), _["slope"] = vector_to_r(v.slope), _["multipliers"] = vector_to_r(v.multipliers),
      _["bound_multipliers"] = vector_to_r(v.bound_multipliers),
      _["advised_rate"] = run.advised_rate);
  out["errors"] = vector_to_r(v.errors);
  out["creased"] = places_to_r(v.creased);
  out["state"] = visitor.fields();
  if (problem.work.log) out["calls"] = calls_to_r(*problem.work.log);
  return out;
}


// A population solver whose values come from outside, as it was stored.
class Outside {
 public:
  Outside(const Rcpp::List& problem, const std::string& name, const Rcpp::List& settings, const Rcpp::NumericVector& start,
          const Rcpp::Nullable<Rcpp::List>& state)
      : problem_(problem_from_r(problem, 1)), solver_(make_population_solver(name, settings_from_r(settings))) {
    if (!solver_) Rcpp::stop("'%s' does not propose points", name);
    problem_->only_inside = true;
    if (state.isNull()) {
      solver_->start(*problem_, vector_from_r(start));
      return;
    }
    const Rcpp::List stored(state.get());
    StateFromR visitor(stored, *problem_);
    progress_.visit(visitor);
    solver_->visit(visitor);
  }
  PopulationSolver& solver() { return *solver_; }
  Problem& problem() { return *problem_; }
  Rcpp::List state() {
    StateToR visitor;
    progress_.visit(visitor);
    solver_->visit(visitor);
    return visitor.fields();
  }
  Rcpp::List record(const Eigen::VectorXd& values, bool keep_members) {
    Walk walk(*problem_, *solver_, keep_members ? Keep::members : Keep::trace);
    walk.go_on(progress_);
    walk.record_values(*solver_, values);
    return run_to_r(*problem_, solver_.get(), walk.result());
  }

 private:
  std::unique_ptr<Problem> problem_;
  std::unique_ptr<PopulationSolver> solver_;
  Progress progress_;
};

}  // namespace

// Walks from `start`, or on from a stored `state`, until the walk ends, its budget does, or it is time to
// pause. With reason "none" it has been paused; `state` goes on from there.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_walk(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings,
                     const Rcpp::NumericVector& start, const Rcpp::Nullable<Rcpp::List>& state, const Rcpp::List& budget,
                     bool keep_members, int threads) {
  const auto core_problem = problem_from_r(problem, threads);
  const auto solver = make_solver_for(*core_problem, solver_name, settings_from_r(settings));
  if (!solver->is_local() && core_problem->box.size() != core_problem->size()) throw DamagedState("the stored state has an impossible 'box'");
  Walk walk(*core_problem, *solver, keep_members ? Keep::members : Keep::trace);
  const Budget allowed = budget_from_r(budget);
  // calls of the user's function that were made to prepare
  const std::int64_t spent = problem.containsElementNamed("calls") ? static_cast<std::int64_t>(Rcpp::as<double>(problem["calls"])) : 0;
  if (state.isNull()) {
    walk.allow(allowed);
    if (problem.containsElementNamed("met_value") && !Rf_isNull(problem["met_value"])) {
      core_problem->work.best_met = vector_from_r(problem["start"]);
      core_problem->work.best_value = problem["met_value"];
    }
    try {
      walk.begin(vector_from_r(start), spent);
    } catch (const Halted& stop) {
      take_interrupt();
      if (stop.why == Halt::user && core_problem->work.best_met.size() == 0) give_way_to_interrupt();
      return run_to_r(*core_problem, nullptr, not_begun(*core_problem, vector_from_r(start), stop.why));
    }
  } else {
    const Rcpp::List stored(state.get());
    StateFromR visitor(stored, *core_problem);
    Progress progress;
    progress.visit(visitor);
    solver->visit(visitor);
    walk.go_on(progress, spent);
  }
  walk.advance(allowed);
  const RunResult result = walk.result();
  take_interrupt();
  return run_to_r(*core_problem, solver.get(), result);
}

// What a surrogate search expects of the criterion at points, a column each: the middle value and the ends of a 95 % interval, a row each.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_expected(const Rcpp::List& problem, const Rcpp::List& settings, const Rcpp::List& state, const Rcpp::NumericMatrix& points) {
  const auto core_problem = problem_from_r(problem, 1);
  const auto solver = make_population_solver("surrogate", settings_from_r(settings));
  StateFromR visitor(state, *core_problem);
  Progress progress;
  progress.visit(visitor);
  solver->visit(visitor);
  const Eigen::MatrixXd at = matrix_from_r(points);
  Eigen::MatrixXd units(at.rows(), at.cols());
  for (Eigen::Index k = 0; k < at.cols(); ++k) units.col(k) = core_problem->box.to_unit(at.col(k));
  return matrix_to_r(static_cast<SurrogateSearch&>(*solver).expected(*core_problem, units));
}

// Stops where a stored state is none that this solver can have on this problem.
// [[Rcpp::export(rng = false)]]
void core_check_state(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings, const Rcpp::List& state) {
  const auto core_problem = problem_from_r(problem, 1);
  const auto solver = make_solver_for(*core_problem, solver_name, settings_from_r(settings));
  StateFromR visitor(state, *core_problem);
  Progress progress;
  progress.visit(visitor);
  solver->visit(visitor);
}

// Walks from every column of `starts`, where parameters have the sizes in the columns of `typical`.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_walk_from(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings,
                          const Rcpp::NumericMatrix& starts, const Rcpp::NumericMatrix& typical, const Rcpp::List& budget, int threads) {
  const auto core_problem = problem_from_r(problem, threads);
  // each walk is the one that it would be alone, in whichever process
  core_problem->work.log.reset();
  const auto make = solver_maker_from_r(solver_name, settings);
  const std::vector<RunResult> runs = walk_from(*core_problem, make, matrix_from_r(starts), matrix_from_r(typical), budget_from_r(budget));
  Rcpp::List out(runs.size());
  for (std::size_t k = 0; k < runs.size(); ++k) out[k] = run_to_r(*core_problem, nullptr, runs[k]);
  return out;
}

namespace {

std::vector<int> linear_parameters_of(Problem& problem) { return problem.squares() ? problem.squares()->linear_parameters() : std::vector<int>(); }

}  // namespace

// Parameters in which the residuals are linear when the others are held.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector core_linear_parameters(const Rcpp::List& problem) { return places_to_r(linear_parameters_of(*problem_from_r(problem, 1))); }

// Points that fill the search box, which of them are worth a walk, and which parameters were eliminated. Points for whose
// values there is no budget (`evaluations`, `seconds`; NA for no limit) have none.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_sample_box(const Rcpp::List& problem, int n, double seed, bool eliminate, double evaluations, double seconds, int threads) {
  const auto core_problem = problem_from_r(problem, threads);
  if (!R_IsNA(evaluations)) core_problem->work.most_evaluations = evaluations;
  if (!R_IsNA(seconds)) core_problem->work.deadline = Evaluation::Clock::now() + Evaluation::ticks(std::max(0.0, seconds));
  const std::vector<int> linear = eliminate ? linear_parameters_of(*core_problem) : std::vector<int>();
  Sample sample;
  try {
    sample = sample_box(*core_problem, n, static_cast<std::uint64_t>(seed), linear);
  } catch (const Halted&) {
    give_way_to_interrupt();
  }
  using Rcpp::_;
  return Rcpp::List::create(_["points"] = matrix_to_r(sample.points), _["value"] = vector_to_r(sample.values), _["head"] = Rcpp::wrap(sample.heads),
                            _["linear"] = places_to_r(linear), _["evaluations"] = static_cast<double>(core_problem->work.evaluations),
                            _["interrupted"] = take_interrupt());
}

// The points whose values a population solver wants next, a column each, and its state with them.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_propose(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings,
                        const Rcpp::NumericVector& start, const Rcpp::Nullable<Rcpp::List>& state) {
  Outside outside(problem, solver_name, settings, start, state);
  const Eigen::MatrixXd points = outside.solver().propose(outside.problem());
  return Rcpp::List::create(Rcpp::_["points"] = matrix_to_r(points), Rcpp::_["state"] = outside.state());
}

// Goes on with the values of those points.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_record(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings,
                       const Rcpp::NumericVector& start, const Rcpp::List& state, const Rcpp::NumericVector& values, bool keep_members) {
  Outside outside(problem, solver_name, settings, start, state);
  return outside.record(vector_from_r(values), keep_members);
}

// The best of many points to start from (the columns of `points`), with linear parameters eliminated; in so many seconds, which may be Inf.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_search_starts(const Rcpp::List& problem, const Rcpp::NumericMatrix& points, int finalists,
                              int iterations, double seconds) {
  const auto core_problem = problem_from_r(problem, 1);
  core_problem->work.deadline = Evaluation::Clock::now() + Evaluation::ticks(seconds);
  const std::vector<int> linear = linear_parameters_of(*core_problem);
  const Eigen::Map<const Eigen::MatrixXd> tried(points.begin(), points.nrow(), points.ncol());
  std::vector<Start> found;
  or_interrupt([&] { found = search_starts(*core_problem, tried, linear, finalists, iterations); });
  Rcpp::NumericMatrix x(static_cast<int>(found.size()), points.nrow());
  Rcpp::NumericVector value(found.size());
  for (std::size_t i = 0; i < found.size(); ++i) {
    value[i] = found[i].value;
    for (int j = 0; j < x.ncol(); ++j) x(i, j) = found[i].x[j];
  }
  return Rcpp::List::create(Rcpp::_["x"] = x, Rcpp::_["value"] = value, Rcpp::_["linear"] = places_to_r(linear));
}

// The nearest point to `x` at which joint conditions hold, within the limits of the parameters; an empty vector
// where none was found.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_nearest_inside(const Rcpp::List& joint, const Rcpp::List& limits, const Rcpp::NumericVector& x) {
  Eigen::VectorXd point = vector_from_r(x);
  if (!nearest_inside(*joint_from_r(joint, static_cast<int>(x.size())), bounds_from_r(limits), point)) return Rcpp::NumericVector();
  return vector_to_r(point);
}

// By how much conditions between parameters are missed at a point.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_misses(const Rcpp::List& joint, const Rcpp::NumericVector& x) {
  return vector_to_r(joint_from_r(joint, static_cast<int>(x.size()))->misses(vector_from_r(x)));
}

// Second derivatives of what is made small at a point; an empty matrix where they are not finite.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_hessian(const Rcpp::List& problem, const Rcpp::NumericVector& x) {
  const auto core_problem = problem_from_r(problem, 1);
  core_problem->refine();
  Expansion at;
  or_interrupt([&] { at = core_problem->expand(vector_from_r(x)); });
  return at.usable ? matrix_to_r(at.hessian) : Rcpp::NumericMatrix(0, 0);
}

// The value of the criterion at each column of `points`.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_values(const Rcpp::List& problem, const Rcpp::NumericMatrix& points) {
  const auto core_problem = problem_from_r(problem, 1);
  if (points.nrow() != core_problem->size()) Rcpp::stop("points have %d numbers, the problem %d", points.nrow(), core_problem->size());
  const Eigen::Map<const Eigen::MatrixXd> x(points.begin(), points.nrow(), points.ncol());
  Rcpp::NumericVector out(points.ncol());
  or_interrupt([&] {
    for (int k = 0; k < points.ncol(); ++k) {
      if (core_problem->work.is_halted()) throw Halted();
      out[k] = core_problem->value(x.col(k));
    }
  });
  return out;
}

// What a point is worth: value, parameters that the criterion does not feel, and a triangle whose square
// is the information in the rows' slopes (empty without rows); an empty list where the value is not finite.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_look_at(const Rcpp::List& problem, const Rcpp::NumericVector& x, int threads) {
  const auto core_problem = problem_from_r(problem, threads);
  Verification v;
  Eigen::MatrixXd factor;
  or_interrupt([&] {
    v = verify(*core_problem, vector_from_r(x));
    if (!v.usable) return;
    if (Kinks* kinks = core_problem->kinks()) kinks->smooth_by(kinks->kink_sizes(vector_from_r(x)).mean);
    if (core_problem->squares()) factor = v.factor;
    if (RowSlopes* rows = core_problem->row_slopes()) factor = rows->slopes_factor(vector_from_r(x));
  });
  if (!v.usable) return Rcpp::List();
  std::vector<int> alive;
  for (int i = 0; i < factor.cols(); ++i)
    if (std::find(v.dead.begin(), v.dead.end(), i) == v.dead.end()) alive.push_back(i);
  // without rows there are no slopes of theirs to tell directions by: the curvature has
  const bool by_rows = core_problem->row_slopes() && factor.cols() > 0;
  const int n_alive = by_rows ? static_cast<int>(alive.size()) : v.n_alive;
  using Rcpp::_;
  return Rcpp::List::create(_["value"] = v.value, _["factor"] = matrix_to_r(factor), _["dead"] = places_to_r(v.dead), _["kinked"] = places_to_r(v.kinked), _["creased"] = places_to_r(v.creased),
                            _["gradient_norm"] = v.gradient_norm, _["curves_down"] = v.way_down.size() > 0, _["n_alive"] = n_alive, _["rank"] = by_rows ? determined_directions(factor, alive) : v.rank);
}
