// What a walk is asked to keep to: its budget, and the settings of its solver.
#include <map>

#include "bridge.h"
#include "core/solver/solver_table.h"

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
  if (budget.containsElementNamed("verified")) out.verified = Rcpp::as<bool>(budget["verified"]);
  out.pause_iterations = limit(budget, "pause_iterations");
  out.pause_seconds = limit(budget, "pause_seconds");
  return out;
}

SolverSettings settings_from_r(const Rcpp::List& settings) {
  // Taken out at once: solvers are also made on threads, where R may not be asked.
  std::map<std::string, double> numbers;
  std::map<std::string, std::string> words;
  const Rcpp::CharacterVector names = settings.names();
  for (R_xlen_t k = 0; k < settings.size(); ++k) {
    const SEXP one = settings[k];
    if ((Rf_isNumeric(one) || Rf_isLogical(one)) && Rf_length(one) == 1) numbers[Rcpp::as<std::string>(names[k])] = Rf_asReal(one);
    if (Rf_isString(one) && Rf_length(one) == 1) words[Rcpp::as<std::string>(names[k])] = Rcpp::as<std::string>(one);
  }
  SolverSettings from;
  from.number = [numbers](const char* key) { return numbers.at(key); };
  from.word = [words](const char* key) {
    const auto at = words.find(key);
    return at == words.end() ? std::string() : at->second;
  };
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

using namespace tundrel;

namespace {

template <class Column, class Part>
Rcpp::RObject column_of(const std::vector<SolverEntry>& table, const Part& part) {
  Column out(table.size());
  for (std::size_t k = 0; k < table.size(); ++k) out[k] = part(table[k]);
  return out;
}

Rcpp::List settings_to_r(const std::vector<SettingEntry>& settings) {
  static const char* const kKinds[] = {"number", "whole", "flag"};
  Rcpp::List out(settings.size());
  Rcpp::CharacterVector names(settings.size());
  using Rcpp::_;
  for (std::size_t k = 0; k < settings.size(); ++k) {
    const SettingEntry& one = settings[k];
    names[k] = one.name;
    out[k] = Rcpp::List::create(_["kind"] = kKinds[static_cast<int>(one.kind)], _["usual"] = one.usual, _["least"] = one.least, _["most"] = one.most,
                                _["least_allowed"] = one.least_allowed, _["most_allowed"] = one.most_allowed);
  }
  out.names() = names;
  return out;
}

Rcpp::CharacterVector forms_to_r(const std::vector<Form>& forms) {
  static const char* const kForms[] = {"squares", "smooth", "kinked"};
  Rcpp::CharacterVector out;
  for (Form form : forms) out.push_back(kForms[static_cast<int>(form)]);
  return out;
}

}  // namespace

// The table of solvers, column by column; of settings and forms a list for each.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_solvers() {
  static const char* const kHonours[] = {"none", "inequalities", "everything"};
  const std::vector<SolverEntry>& table = solver_table();
  using Rcpp::_;
  return Rcpp::List::create(
      _["name"] = column_of<Rcpp::CharacterVector>(table, [](const SolverEntry& e) { return e.name; }),
      _["scope"] = column_of<Rcpp::CharacterVector>(table, [](const SolverEntry& e) { return e.global ? "global" : "local"; }),
      _["derivatives"] = column_of<Rcpp::CharacterVector>(table, [](const SolverEntry& e) { return e.derivatives; }),
      _["honours"] = column_of<Rcpp::CharacterVector>(table, [](const SolverEntry& e) { return kHonours[static_cast<int>(e.honours)]; }),
      _["most_parameters"] = column_of<Rcpp::IntegerVector>(table, [](const SolverEntry& e) { return e.most_parameters; }),
      _["good_at"] = column_of<Rcpp::CharacterVector>(table, [](const SolverEntry& e) { return e.good_at; }),
      _["weak_at"] = column_of<Rcpp::CharacterVector>(table, [](const SolverEntry& e) { return e.weak_at; }),
      _["forms"] = column_of<Rcpp::List>(table, [](const SolverEntry& e) { return forms_to_r(e.forms); }),
      _["settings"] = column_of<Rcpp::List>(table, [](const SolverEntry& e) { return settings_to_r(e.settings); }));
}
