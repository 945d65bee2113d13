#include "bridge.h"

#include <cstdint>
#include "core/expression/derivative.h"
#include "core/inference/covariance.h"
#include "core/inference/group_fits.h"
#include "core/problem/arrow.h"

using namespace tundrel;

namespace {

// An expression and its derivatives in p parameters.
Program with_slopes(const Rcpp::List& nodes, int root, int p) {
  TranslatedGraph t = graph_from_r(nodes);
  std::vector<int> outputs{t.node.at(root - 1)};
  for (int node : gradient_nodes(t.graph, outputs[0], p)) outputs.push_back(node);
  return Program(t.graph, outputs);
}

std::vector<std::int64_t> places_from_r(const Rcpp::NumericVector& first) { return std::vector<std::int64_t>(first.begin(), first.end()); }

Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic> held_from_r(const Rcpp::LogicalMatrix& held) {
  return Eigen::Map<const Eigen::ArrayXXi>(held.begin(), held.nrow(), held.ncol()).cast<bool>();
}

}  // namespace

// Fits to groups of rows: those of group k follow `first[k]` (counted from 0), and end before `first[k + 1]`. Starts and sizes
// have a column a group. Nothing where the problem takes no other measurements.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_fit_groups(const Rcpp::List& problem, const std::string& solver_name, const Rcpp::List& settings, const Rcpp::NumericMatrix& starts,
                           const Rcpp::NumericMatrix& typical, const Rcpp::NumericVector& first, const Rcpp::List& budget, int threads) {
  const auto core_problem = problem_from_r(problem, 1);
  core_problem->work.threads = threads;
  const FitTable fits = fit_groups(*core_problem, solver_maker_from_r(solver_name, settings), matrix_from_r(starts), matrix_from_r(typical),
                                   columns_from_r(problem["columns"], problem["rows"]), places_from_r(first), budget_from_r(budget));
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

// Standard errors of the parameters of groups per unit of residual scale, a column a group: `factors` holds a triangle in each column. NA where `held`.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_group_errors(const Rcpp::NumericMatrix& factors, const Rcpp::LogicalMatrix& held) {
  Rcpp::NumericMatrix out = matrix_to_r(group_unit_errors(matrix_from_r(factors), held_from_r(held)));
  for (double& one : out)
    if (std::isnan(one)) one = NA_REAL;
  return out;
}

// The same of an expression in each row, with the parameters of the row's group in a column of `x`; the rows of group k follow first[k].
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_group_row_errors(const Rcpp::List& nodes, int root, const Rcpp::List& columns, double rows, const Rcpp::NumericMatrix& x,
                                          const Rcpp::NumericVector& first, const Rcpp::NumericMatrix& factors, const Rcpp::LogicalMatrix& held) {
  return vector_to_r(group_row_errors(with_slopes(nodes, root, x.nrow()), matrix_from_r(x), columns_from_r(columns, rows), places_from_r(first),
                                      matrix_from_r(factors), held_from_r(held)));
}

// An orthonormal basis of each group's tangent plane, in the columns; zeros where it has fewer dimensions than parameters.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_group_tangents(const Rcpp::List& nodes, int root, const Rcpp::List& columns, double rows, const Rcpp::NumericMatrix& x,
                                        const Rcpp::NumericVector& first, const Rcpp::NumericVector& weight, const Rcpp::LogicalMatrix& held) {
  return matrix_to_r(group_tangents(with_slopes(nodes, root, x.nrow()), matrix_from_r(x), columns_from_r(columns, rows), places_from_r(first),
                                    vector_from_r(weight), held_from_r(held)));
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
