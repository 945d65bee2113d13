#include "bridge.h"
#include "core/inference/group_fits.h"
#include "core/solver/shared_fit.h"

using namespace tundrel;

// Fits to groups of rows: those of group k follow `first[k]` (counted from 0), and end before `first[k + 1]`. Starts and sizes
// have a column a group. Nothing where the problem takes no other measurements.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_fit_groups(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings, const Rcpp::NumericMatrix& starts,
                           const Rcpp::NumericMatrix& typical, const Rcpp::NumericVector& first, const Rcpp::List& budget, int threads) {
  const auto core_problem = problem_from_r(problem, 1);
  core_problem->work.threads = threads;
  const std::vector<long> places(first.begin(), first.end());
  const FitTable fits = fit_groups(*core_problem, solver_maker_from_r(solver_name, settings), matrix_from_r(starts), matrix_from_r(typical),
                                   columns_from_r(problem["columns"], problem["rows"]), places, budget_from_r(budget));
  take_interrupt();
  const int n = fits.size();
  Rcpp::NumericVector iterations(n), evaluations(n), refused(n);
  Rcpp::CharacterVector reason(n);
  for (int k = 0; k < n; ++k) {
    reason[k] = name_of(fits.reason[k]);
    iterations[k] = static_cast<double>(fits.progress[k].iterations);
    evaluations[k] = static_cast<double>(fits.progress[k].evaluations);
    refused[k] = static_cast<double>(fits.progress[k].refused);
  }
  using Rcpp::_;
  return Rcpp::List::create(_["x"] = matrix_to_r(fits.x), _["factor"] = matrix_to_r(fits.factor), _["value"] = vector_to_r(fits.value),
                            _["converged"] = Rcpp::LogicalVector(fits.converged.begin(), fits.converged.end()), _["reason"] = reason,
                            _["iterations"] = iterations, _["evaluations"] = evaluations, _["refused"] = refused,
                            _["gradient_norm"] = vector_to_r(fits.gradient_norm), _["open"] = Rcpp::IntegerVector(fits.open.begin(), fits.open.end()));
}

// One fit over all groups, some of whose parameters (`shared`, counted from 1) are the same for all.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_fit_shared(const Rcpp::List& problem, const Rcpp::IntegerVector& shared, const Rcpp::NumericMatrix& starts,
                           const Rcpp::NumericMatrix& typical, const Rcpp::NumericVector& first, double tolerance, const Rcpp::List& budget, int threads) {
  const auto core_problem = problem_from_r(problem, 1);
  core_problem->work.threads = threads;
  std::vector<int> places(shared.begin(), shared.end());
  for (int& place : places) --place;
  const std::vector<long> rows(first.begin(), first.end());
  const SharedFit fit = fit_shared(*core_problem, places, matrix_from_r(starts), matrix_from_r(typical), columns_from_r(problem["columns"], problem["rows"]), rows,
                                   tolerance, budget_from_r(budget));
  take_interrupt();
  using Rcpp::_;
  return Rcpp::List::create(_["x"] = matrix_to_r(fit.x), _["values"] = vector_to_r(fit.values), _["errors"] = matrix_to_r(fit.errors),
                            _["rank"] = Rcpp::wrap(fit.rank), _["shared_determined"] = fit.shared_determined, _["converged"] = fit.converged, _["reason"] = name_of(fit.reason), _["gradient_norm"] = fit.gradient_norm,
                            _["iterations"] = static_cast<double>(fit.iterations), _["evaluations"] = static_cast<double>(fit.evaluations));
}
