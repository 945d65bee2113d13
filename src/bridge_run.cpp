#include "bridge.h"
#include <algorithm>

#include "core/solver/levenberg_marquardt.h"
#include "core/solver/kink_balance.h"
#include "core/solver/nearest_point.h"
#include "core/solver/newton.h"
#include "core/solver/run_loop.h"
#include "core/solver/smoothed_newton.h"
#include "core/solver/start_search.h"

namespace {

using namespace tundrel;

void check_interrupt(void*) { R_CheckUserInterrupt(); }

// TRUE if the user asked R to stop; asked without leaving C++ in the middle.
bool interrupted() { return R_ToplevelExec(check_interrupt, nullptr) == FALSE; }

// A limit that R gives as a number, NA where there is none.
double limit(const Rcpp::List& budget, const char* name) {
  const double x = budget[name];
  return R_IsNA(x) ? std::numeric_limits<double>::infinity() : x;
}

Rcpp::List trace_to_r(const std::vector<TraceRow>& trace) {
  const int n = static_cast<int>(trace.size());
  const int p = n ? static_cast<int>(trace[0].x.size()) : 0;
  Rcpp::NumericVector iteration(n), evaluations(n), value(n), gradient_norm(n), step_norm(n),
      infeasibility(n);
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
    action[i] = row.action;
    for (int j = 0; j < p; ++j) x(i, j) = row.x[j];
  }
  using Rcpp::_;
  return Rcpp::List::create(_["iteration"] = iteration, _["evaluations"] = evaluations,
                            _["value"] = value, _["gradient_norm"] = gradient_norm,
                            _["step_norm"] = step_norm, _["infeasibility"] = infeasibility,
                            _["action"] = action, _["x"] = x);
}

Rcpp::IntegerVector places_to_r(const std::vector<int>& places) {
  Rcpp::IntegerVector out(places.begin(), places.end());
  return out + 1;
}

std::unique_ptr<Solver> solver_from_r(const std::string& name, const Rcpp::List& settings) {
  const double radius = settings["first_radius"], tolerance = settings["tolerance"];
  if (name == "levenberg_marquardt")
    return std::make_unique<LevenbergMarquardt>(LevenbergMarquardt::Settings{radius, tolerance});
  if (name == "newton") return std::make_unique<Newton>(Newton::Settings{radius, tolerance});
  if (name == "smoothed_newton") return std::make_unique<SmoothedNewton>(Newton::Settings{radius, tolerance});
  Rcpp::stop("unknown solver: %s", name);
}

}  // namespace

// [[Rcpp::export]]
Rcpp::List core_fit(const Rcpp::List& problem, const std::string& solver_name,
                    const Rcpp::List& settings, const Rcpp::NumericVector& start, const Rcpp::List& budget, int threads) {
  const auto core_problem = problem_from_r(problem, threads);
  const auto solver = solver_from_r(solver_name, settings);
  const Budget limits{limit(budget, "evaluations"), limit(budget, "iterations"),
                      limit(budget, "seconds")};
  const RunResult run = tundrel::run(*core_problem, *solver, vector_from_r(start), limits,
                                     [](const TraceRow&) { return !interrupted(); });
  const Verification& v = run.verification;
  using Rcpp::_;
  return Rcpp::List::create(
      _["x"] = vector_to_r(run.x), _["value"] = run.value, _["converged"] = run.converged,
      _["reason"] = name_of(run.reason), _["claim"] = name_of(run.claim),
      _["iterations"] = static_cast<double>(run.iterations),
      _["evaluations"] = static_cast<double>(run.evaluations),
      _["refused"] = static_cast<double>(run.refused), _["seconds"] = run.seconds,
      _["trace"] = trace_to_r(run.trace), _["gradient_norm"] = v.gradient_norm,
      _["rank"] = v.rank, _["n_alive"] = v.n_alive, _["dead"] = places_to_r(v.dead), _["runaway"] = places_to_r(v.runaway),
      _["factor"] = matrix_to_r(v.factor), _["slope"] = vector_to_r(v.slope));
}

// The best of many points to start from (the columns of `points`), with linear parameters eliminated.
// [[Rcpp::export]]
Rcpp::List core_search_starts(const Rcpp::List& problem, const Rcpp::NumericMatrix& points, int finalists,
                              int iterations) {
  const auto core_problem = problem_from_r(problem, 1);
  const std::vector<int> linear = core_problem->linear_parameters();
  const Eigen::Map<const Eigen::MatrixXd> tried(points.begin(), points.nrow(), points.ncol());
  const std::vector<Start> found = search_starts(*core_problem, tried, linear, finalists, iterations);
  Rcpp::NumericMatrix x(static_cast<int>(found.size()), points.nrow());
  Rcpp::NumericVector value(found.size());
  for (std::size_t i = 0; i < found.size(); ++i) {
    value[i] = found[i].value;
    for (int j = 0; j < x.ncol(); ++j) x(i, j) = found[i].x[j];
  }
  return Rcpp::List::create(Rcpp::_["x"] = x, Rcpp::_["value"] = value, Rcpp::_["linear"] = places_to_r(linear));
}

// The nearest point to `x` at which the expressions `roots` are zero (the first `n_equalities`) or not
// negative, within the limits of the parameters; an empty vector where none was found.
// [[Rcpp::export]]
Rcpp::NumericVector core_nearest_inside(const Rcpp::List& nodes, const Rcpp::IntegerVector& roots, int n_equalities,
                                        const Rcpp::List& limits, const Rcpp::NumericVector& x) {
  TranslatedGraph t = graph_from_r(nodes);
  std::vector<int> conditions;
  for (int root : roots) conditions.push_back(t.node.at(root - 1));
  const JointConditions joint(std::move(t.graph), conditions, n_equalities, static_cast<int>(x.size()));
  Eigen::VectorXd point = vector_from_r(x);
  if (!nearest_inside(joint, bounds_from_r(limits), point)) return Rcpp::NumericVector();
  return vector_to_r(point);
}

// The value of the criterion at each column of `points`.
// [[Rcpp::export]]
Rcpp::NumericVector core_values(const Rcpp::List& problem, const Rcpp::NumericMatrix& points) {
  const auto core_problem = problem_from_r(problem, 1);
  const Eigen::Map<const Eigen::MatrixXd> x(points.begin(), points.nrow(), points.ncol());
  Rcpp::NumericVector out(points.ncol());
  for (int k = 0; k < points.ncol(); ++k) out[k] = core_problem->value(x.col(k));
  return out;
}

// What a point is worth: value, parameters that the criterion does not feel, and a triangle whose square
// is the information in the rows' slopes (empty without rows); an empty list where the value is not finite.
// [[Rcpp::export]]
Rcpp::List core_look_at(const Rcpp::List& problem, const Rcpp::NumericVector& x, int threads) {
  const auto core_problem = problem_from_r(problem, threads);
  const Verification v = verify(*core_problem, vector_from_r(x));
  if (!v.usable) return Rcpp::List();
  core_problem->smooth_by(core_problem->kink_sizes(vector_from_r(x)).mean);
  const bool squares = core_problem->form() == Form::squares;
  const Eigen::MatrixXd factor = squares ? v.factor : core_problem->slopes_factor(vector_from_r(x));
  std::vector<int> alive;
  for (int i = 0; i < factor.cols(); ++i)
    if (std::find(v.dead.begin(), v.dead.end(), i) == v.dead.end()) alive.push_back(i);
  const int n_alive = squares ? v.n_alive : static_cast<int>(alive.size());
  using Rcpp::_;
  return Rcpp::List::create(_["value"] = v.value, _["factor"] = matrix_to_r(factor), _["dead"] = places_to_r(v.dead),
                            _["n_alive"] = n_alive, _["rank"] = squares ? v.rank : determined_directions(factor, alive));
}
