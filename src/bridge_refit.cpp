#include "bridge.h"
#include "core/inference/refits.h"

using namespace tundrel;

// Fits to resampled measurements, each from `start`: `rows` has a column of row numbers for each, `values` one of numbers
// that stand for column `replaced`; either may have no columns. A column of estimates for each, and how
// many directions its measurements leave open; nothing where the problem takes no other measurements.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_refit(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings, const Rcpp::NumericVector& start,
                      const Rcpp::IntegerMatrix& rows, const Rcpp::NumericMatrix& values, int replaced, const Rcpp::List& budget, int threads) {
  const auto core_problem = problem_from_r(problem, threads);
  core_problem->work.threads = threads;
  Resampling resampling;
  resampling.rows = Eigen::Map<const Eigen::MatrixXi>(rows.begin(), rows.nrow(), rows.ncol()).array() - 1;
  resampling.values = matrix_from_r(values);
  resampling.replaced = replaced - 1;
  const FitTable fits = refits(*core_problem, solver_maker_from_r(solver_name, settings), vector_from_r(start),
                               columns_from_r(problem["columns"], problem["rows"]), resampling, budget_from_r(budget));
  if (take_interrupt()) give_way_to_interrupt();
  return Rcpp::List::create(Rcpp::_["x"] = matrix_to_r(fits.x), Rcpp::_["value"] = vector_to_r(fits.value),
                            Rcpp::_["converged"] = Rcpp::LogicalVector(fits.converged.begin(), fits.converged.end()),
                            Rcpp::_["open"] = Rcpp::IntegerVector(fits.open.begin(), fits.open.end()));
}
