#include "bridge.h"
#include "core/inference/group_fits.h"
#include "core/problem/arrow.h"

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
                            _["gradient_norm"] = vector_to_r(fits.gradient_norm));
}

// The sum of squares of each group of a problem that has groups.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_group_values(const Rcpp::List& problem, const Rcpp::NumericVector& x) {
  const auto core_problem = problem_from_r(problem, 1);
  std::vector<Linearisation> at;
  core_problem->arrow()->linearise_groups(vector_from_r(x), at);
  Rcpp::NumericVector out(at.size());
  for (std::size_t k = 0; k < at.size(); ++k) out[static_cast<R_xlen_t>(k)] = at[k].value;
  return out;
}

// Of curves that vary about a common one: the likeliest variables of each, the lower triangles of their covariances, and what each adds to
// the criterion.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_curve_modes(const Rcpp::List& problem, const Rcpp::NumericVector& x) {
  const CurveModes found = varying_curves_from_r(problem, Bounds::none(static_cast<int>(x.size())), 1)->modes(vector_from_r(x));
  using Rcpp::_;
  return Rcpp::List::create(_["at"] = matrix_to_r(found.at), _["spread"] = matrix_to_r(found.spread), _["value"] = vector_to_r(found.value));
}
