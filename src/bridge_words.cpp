// The words of an expression: what is called, what stands for a value, and whether a complex number is among its numbers.
#include <Rcpp.h>

#include <algorithm>
#include <unordered_set>
#include <vector>

namespace {

// Names in the order in which they first appear.
class Words {
 public:
  void add(SEXP name) {
    if (known_.insert(name).second) list_.push_back(PRINTNAME(name));
  }
  Rcpp::CharacterVector list() const {
    Rcpp::CharacterVector out(static_cast<R_xlen_t>(list_.size()));
    for (std::size_t k = 0; k < list_.size(); ++k) SET_STRING_ELT(out, static_cast<R_xlen_t>(k), list_[k]);
    return out;
  }

 private:
  std::unordered_set<SEXP> known_;
  std::vector<SEXP> list_;
};

}  // namespace

// What is called and is no plain name is "". However deep the expression is: nothing calls itself.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_words(SEXP expression) {
  Words called, values;
  bool complex = false, unnamed = false;
  std::vector<SEXP> waiting{expression};
  while (!waiting.empty()) {
    const SEXP e = waiting.back();
    waiting.pop_back();
    if (TYPEOF(e) == SYMSXP) {
      if (e != R_MissingArg) values.add(e);
      continue;
    }
    complex = complex || TYPEOF(e) == CPLXSXP;
    if (TYPEOF(e) != LANGSXP) continue;
    if (TYPEOF(CAR(e)) == SYMSXP)
      called.add(CAR(e));
    else
      unnamed = true;
    const std::size_t before = waiting.size();
    for (SEXP argument = CDR(e); argument != R_NilValue; argument = CDR(argument)) waiting.push_back(CAR(argument));
    std::reverse(waiting.begin() + static_cast<std::ptrdiff_t>(before), waiting.end());
  }
  return Rcpp::List::create(Rcpp::Named("called") = called.list(), Rcpp::Named("values") = values.list(), Rcpp::Named("unnamed") = unnamed, Rcpp::Named("complex") = complex);
}
