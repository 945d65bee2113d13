#include "bridge.h"
#include "core/criterion/censoring.h"
#include "core/criterion/family.h"
#include "core/criterion/least_squares.h"
#include "core/criterion/robust_loss.h"
#include "core/expression/term.h"
#include "core/problem/joint_normal.h"

namespace tundrel {
namespace {

class CriterionReader {
 public:
  CriterionReader(const Rcpp::List& problem, TranslatedGraph& translated) : problem_(problem), t_(translated) {}

  int node(const char* name) const {
    const int i = problem_[name];
    return i > 0 ? t_.node.at(i - 1) : -1;
  }

  // The residual as a kink, and what it is measured against: the response, or 1 for shares.
  RowLoss residual() const {
    const bool relative_to_fitted = problem_["relative_to_fitted"];
    const int weight = node("root_weight"), response = node("response");
    RowLoss loss;
    loss.kink = problem_.containsElementNamed("distance") ? node("distance")
                : relative_to_fitted ? log_ratio(t_.graph, response, node("fitted"), weight)
                                     : least_squares_residual(t_.graph, response, node("fitted"), weight);
    loss.reference = least_squares_residual(t_.graph, relative_to_fitted ? t_.graph.constant(1) : response, t_.graph.constant(0), weight);
    return loss;
  }

  RowLoss shares() const {
    RowLoss loss;
    const int weight = node("root_weight"), fitted = node("fitted");
    loss.smooth = share_loss(t_.graph, node("response"), fitted, weight, problem_["reference"]);
    const Term inverse = 1.0 / Term{&t_.graph, fitted};
    loss.expected = {{fitted, weight < 0 ? inverse.node : (Term{&t_.graph, weight} * inverse).node}};
    loss.scale_unknown = true;
    return loss;
  }

  RowLoss absolute() const {
    RowLoss loss = residual();
    loss.expected = {{loss.kink, t_.graph.constant(1)}};
    loss.scale_unknown = true;
    return loss;
  }

  RowLoss robust() const {
    RowLoss loss;
    const Term residual_term{&t_.graph, residual().kink};
    loss.smooth = robust_loss(t_.graph, problem_["loss"], (residual_term / Rcpp::as<double>(problem_["scale"])).node,
                              problem_["tuning"]);
    loss.spread_of_slopes = true;
    return loss;
  }

  RowLoss likelihood() const {
    const std::string family = problem_["family"];
    std::vector<int> others;
    for (int place : Rcpp::as<std::vector<int>>(problem_["others"])) others.push_back(t_.node.at(place - 1));
    RowLoss loss = family_loss(t_.graph, family, node("response"), node("fitted"), others);
    const std::vector<int> kinds = Rcpp::as<std::vector<int>>(problem_["censored_kinds"]);
    if (!kinds.empty()) {
      Censoring censoring{node("known"), node("low"), node("high"), {}};
      for (int kind : kinds) censoring.kinds.push_back(static_cast<Known>(kind));
      loss.smooth = censored_loss(t_.graph, family, loss.smooth, censoring, node("fitted"), others);
    }
    return loss;
  }

  // Each row has the loss of its response; `tests` are true in the rows of each response but the last.
  RowLoss responses() const {
    const Rcpp::List parts = problem_["of_responses"];
    const std::vector<int> tests = Rcpp::as<std::vector<int>>(problem_["tests"]);
    const auto smooth = [&](R_xlen_t k) {
      Rcpp::List part = Rcpp::clone(Rcpp::List(parts[k]));
      for (const char* shared : {"fitted", "known", "low", "high"}) part[shared] = problem_[shared];
      part["censored_kinds"] = Rcpp::as<bool>(part["is_censored"]) ? problem_["censored_kinds"] : Rcpp::wrap(Rcpp::IntegerVector());
      return Term{&t_.graph, CriterionReader(part, t_).likelihood().smooth};
    };
    Term sum = smooth(parts.size() - 1);
    for (R_xlen_t k = parts.size() - 2; k >= 0; --k) sum = choose(Term{&t_.graph, t_.node.at(tests[k] - 1)}, smooth(k), sum);
    RowLoss loss;
    loss.smooth = sum.node;
    return loss;
  }

  RowLoss density() const {
    RowLoss loss;
    loss.smooth = (-Term{&t_.graph, node("density")}).node;
    return loss;
  }

  RowLoss value() const {
    RowLoss loss;
    loss.smooth = node("value");
    loss.noise = false;
    return loss;
  }

 private:
  const Rcpp::List& problem_;
  TranslatedGraph& t_;
};

}  // namespace

RowLoss loss_from_r(const Rcpp::List& problem, TranslatedGraph& graph) {
  const CriterionReader reader(problem, graph);
  const std::string kind = problem["kind"];
  if (kind == "squares") return reader.residual();
  // each reading by itself
  if (kind == "dependent") return problem["scaled"] ? reader.residual() : reader.likelihood();
  if (kind == "value") return reader.value();
  if (kind == "shares") return reader.shares();
  if (kind == "absolute") return reader.absolute();
  if (kind == "robust") return reader.robust();
  // the common curve
  if (kind == "varying") return reader.likelihood();
  if (kind == "likelihood") return reader.likelihood();
  if (kind == "density") return reader.density();
  if (kind == "responses") return reader.responses();
  Rcpp::stop("unknown kind of criterion: %s", kind);
}

}  // namespace tundrel

using namespace tundrel;

// What each row adds to a criterion that is a sum of losses, at a point.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_row_losses(const Rcpp::List& problem, const Rcpp::NumericVector& x) {
  TranslatedGraph t = graph_from_r(problem["nodes"]);
  const RowLoss loss = loss_from_r(problem, t);
  Term sum{&t.graph, loss.smooth < 0 ? t.graph.constant(0) : loss.smooth};
  if (loss.kink >= 0) sum = sum + abs(Term{&t.graph, loss.kink});
  const Columns columns = columns_from_r(problem["columns"], problem["rows"]);
  Rcpp::NumericVector out(static_cast<R_xlen_t>(columns.rows));
  Program(t.graph, {sum.node}).run_all(x.begin(), columns, out.begin());
  return out;
}

// Residuals of readings that depend on each other, each given the ones before it and in units of the noise; then their derivatives.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_innovations(const Rcpp::List& problem, const Rcpp::NumericVector& x) {
  return matrix_to_r(joint_normal_from_r(problem, Bounds::none(static_cast<int>(x.size())))->innovations(vector_from_r(x)));
}
