// What a walk is asked to keep to: its budget, and the settings of its solver.
#include <map>

#include "bridge.h"
#include "core/solver/settings.h"

namespace tundrel {
namespace {

// A limit that R gives as a number, NA where there is none.
double limit(const Rcpp::List& budget, const char* name, double none = std::numeric_limits<double>::infinity()) {
  if (!budget.containsElementNamed(name)) return none;
  const double x = budget[name];
  return R_IsNA(x) ? none : x;
}

}  // namespace

Budget budget_from_r(const Rcpp::List& budget) {
  Budget out;
  out.evaluations = limit(budget, "evaluations");
  out.iterations = limit(budget, "iterations");
  out.seconds = limit(budget, "seconds");
  out.target = limit(budget, "target", out.target);
  out.pause_iterations = limit(budget, "pause_iterations");
  out.pause_seconds = limit(budget, "pause_seconds");
  return out;
}

SolverSettings settings_from_r(const Rcpp::List& settings) {
  // Taken out at once: solvers are also made on threads, where R may not be asked.
  std::map<std::string, double> numbers;
  const Rcpp::CharacterVector names = settings.names();
  for (R_xlen_t k = 0; k < settings.size(); ++k) {
    const SEXP one = settings[k];
    if ((Rf_isNumeric(one) || Rf_isLogical(one)) && Rf_length(one) == 1) numbers[Rcpp::as<std::string>(names[k])] = Rf_asReal(one);
  }
  SolverSettings from;
  from.number = [numbers](const char* key) { return numbers.at(key); };
  if (settings.containsElementNamed("simplex") && !Rf_isNull(settings["simplex"])) {
    const Rcpp::NumericMatrix corners = settings["simplex"];
    from.simplex = Eigen::Map<const Eigen::MatrixXd>(corners.begin(), corners.nrow(), corners.ncol());
  }
  return from;
}

SolverMaker solver_maker_from_r(const std::string& name, const Rcpp::List& settings) {
  const SolverSettings from = settings_from_r(settings);
  return [name, from] { return make_solver(name, from); };
}

}  // namespace tundrel
