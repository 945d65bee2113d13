// Readings that are planned.
#include "bridge.h"
#include "core/planning/exchange.h"
#include "core/planning/share_out.h"

using namespace tundrel;

namespace {

Aim::Kind kind_of(const std::string& name) {
  if (name == "volume") return Aim::Kind::volume;
  return name == "error" ? Aim::Kind::error : Aim::Kind::discrepancy;
}

// A list for each aim: measure, rows, begin (of each candidate its first row, from 0, and one past the last), known, wanted, share, group (from 0).
Aims aims_from_r(const Rcpp::List& given) {
  Aims out;
  for (R_xlen_t k = 0; k < given.size(); ++k) {
    const Rcpp::List one = given[k];
    const Rcpp::IntegerVector begin = one["begin"];
    Aim aim;
    aim.kind = kind_of(Rcpp::as<std::string>(one["measure"]));
    aim.candidates.rows = matrix_from_r(one["rows"]);
    aim.candidates.begin.assign(begin.begin(), begin.end());
    aim.known = matrix_from_r(one["known"]);
    aim.wanted = matrix_from_r(one["wanted"]);
    aim.share = one["share"];
    aim.group = one["group"];
    out.each.push_back(std::move(aim));
  }
  return out;
}

Rcpp::List shares_to_r(const Shares& found) {
  return Rcpp::List::create(
      Rcpp::_["amounts"] = vector_to_r(found.amounts), Rcpp::_["value"] = found.value, Rcpp::_["gap"] = found.gap, Rcpp::_["duals"] = vector_to_r(found.duals),
      Rcpp::_["slope"] = vector_to_r(found.slope));
}

}  // namespace

// [[Rcpp::export(rng = false)]]
Rcpp::List core_share_out(const Rcpp::List& aims, const Rcpp::NumericVector& costs, double budget) {
  return shares_to_r(share_out(aims_from_r(aims), vector_from_r(costs), budget));
}

// [[Rcpp::export(rng = false)]]
Rcpp::List core_judge_amounts(const Rcpp::List& aims, const Rcpp::NumericVector& costs, double budget, const Rcpp::NumericVector& amounts, const Rcpp::NumericVector& duals) {
  return shares_to_r(judge_amounts(aims_from_r(aims), vector_from_r(costs), budget, vector_from_r(amounts), vector_from_r(duals)));
}

// [[Rcpp::export(rng = false)]]
Rcpp::List core_exchanged(const Rcpp::List& aims, const Rcpp::NumericVector& costs, double budget, const Rcpp::IntegerVector& most, const Rcpp::NumericVector& shares, int tries, int seed) {
  const Eigen::VectorXi limit = Eigen::Map<const Eigen::VectorXi>(most.begin(), most.size());
  const WholeReadings found = exchanged(aims_from_r(aims), vector_from_r(costs), budget, limit, vector_from_r(shares), tries, static_cast<unsigned>(seed));
  return Rcpp::List::create(Rcpp::_["readings"] = Rcpp::IntegerVector(found.readings.data(), found.readings.data() + found.readings.size()), Rcpp::_["value"] = found.value);
}
