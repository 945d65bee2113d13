#include "bridge.h"
#include "core/expression/derivative.h"
#include "core/inference/covariance.h"

using namespace tundrel;

// The operations of the model language, as the core knows them.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_operations() {
  int count = 0;
  const OperationInfo* table = operation_table(count);
  Rcpp::CharacterVector name(count);
  Rcpp::IntegerVector arity(count);
  for (int i = 0; i < count; ++i) {
    name[i] = table[i].name;
    arity[i] = table[i].arity;
  }
  return Rcpp::List::create(Rcpp::_["name"] = name, Rcpp::_["arity"] = arity);
}

// One number for each row.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_evaluate(const Rcpp::List& nodes, int root, const Rcpp::List& columns,
                                  double rows, const Rcpp::NumericVector& x) {
  const TranslatedGraph t = graph_from_r(nodes);
  const Program program(t.graph, {t.node.at(root - 1)});
  Rcpp::NumericVector out(static_cast<R_xlen_t>(rows));
  program.run_all(x.begin(), columns_from_r(columns, rows), out.begin());
  return out;
}

// Derivatives of an expression in each row: a row of the result a row, a column a parameter.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_jacobian(const Rcpp::List& nodes, int root, const Rcpp::List& columns, double rows,
                                  const Rcpp::NumericVector& x) {
  TranslatedGraph t = graph_from_r(nodes);
  const int p = static_cast<int>(x.size());
  const std::vector<int> gradient = gradient_nodes(t.graph, t.node.at(root - 1), p);
  Rcpp::NumericMatrix out(static_cast<int>(rows), p);
  const Columns data = columns_from_r(columns, rows);
  for (int j = 0; j < p; ++j) Program(t.graph, {gradient[j]}).run_all(x.begin(), data, &out(0, j));
  return out;
}

// Standard error of an expression in each row, per unit of residual sd, from doubt about the
// parameters `moving`, to which the columns of `factor` belong.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_row_errors(const Rcpp::List& nodes, int root, const Rcpp::List& columns,
                                    double rows, const Rcpp::NumericVector& x,
                                    const Rcpp::NumericMatrix& factor,
                                    const Rcpp::IntegerVector& moving) {
  TranslatedGraph t = graph_from_r(nodes);
  std::vector<int> outputs{t.node.at(root - 1)};
  const std::vector<int> gradient =
      gradient_nodes(t.graph, outputs[0], static_cast<int>(x.size()));
  for (int i : moving) outputs.push_back(gradient.at(i - 1));
  const Eigen::Map<const Eigen::MatrixXd> triangle(factor.begin(), factor.nrow(), factor.ncol());
  return vector_to_r(row_errors(Program(t.graph, outputs), vector_from_r(x),
                                columns_from_r(columns, rows), triangle));
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_unit_covariance(const Rcpp::NumericMatrix& factor) {
  const Eigen::Map<const Eigen::MatrixXd> triangle(factor.begin(), factor.nrow(), factor.ncol());
  return matrix_to_r(unit_covariance(triangle));
}

