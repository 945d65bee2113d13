#include "bridge.h"

#include <cstdint>
#include "core/expression/derivative.h"
#include "core/solver/root.h"

using namespace tundrel;

namespace {

// Value and two derivatives of an expression of one parameter.
std::function<RootPoint(double)> root_of_expression(const Rcpp::List& expression) {
  TranslatedGraph t = graph_from_r(expression["nodes"]);
  const int value = t.node.at(Rcpp::as<int>(expression["root"]) - 1);
  const int slope = gradient_nodes(t.graph, value, 1)[0];
  const int curvature = gradient_nodes(t.graph, slope, 1)[0];
  std::vector<Program> programs;
  for (int node : {value, slope, curvature}) programs.emplace_back(t.graph, std::vector<int>{node});
  return [programs](double x) {
    double out[3];
    Columns one;
    one.rows = 1;
    for (int k = 0; k < 3; ++k) programs[k].run_all(&x, one, &out[k]);
    return RootPoint{out[0], out[1], out[2]};
  };
}

std::function<RootPoint(double)> root_of_function(const Rcpp::Function& f) {
  return [f](double x) {
    const Rcpp::NumericVector out = f(x);
    return RootPoint{out[0], out[1], out[2]};
  };
}

}  // namespace

// `what` is a list of nodes and root, or a function that gives value, slope and curvature.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_find_root(SEXP what, int method, double lower, double upper, double start, double tolerance, double most_evaluations) {
  RootSearch search;
  search.method = static_cast<RootMethod>(method);
  search.lower = lower;
  search.upper = upper;
  search.start = start;
  search.tolerance = tolerance;
  search.most_evaluations = static_cast<std::int64_t>(most_evaluations);
  const auto f = Rf_isFunction(what) ? root_of_function(what) : root_of_expression(what);
  const RootAnswer answer = find_root(f, search);
  using Rcpp::_;
  return Rcpp::List::create(_["root"] = answer.x, _["value"] = answer.value, _["lower"] = answer.lower, _["upper"] = answer.upper,
                            _["changes_sign"] = answer.changes_sign, _["converged"] = answer.converged, _["reason"] = name_of(answer.reason),
                            _["iterations"] = static_cast<double>(answer.iterations), _["evaluations"] = static_cast<double>(answer.evaluations));
}
