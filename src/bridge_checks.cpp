// Checks of residuals.
#include "bridge.h"

#include <cstdint>
#include "core/inference/residual_checks.h"
#include "core/threads.h"

using namespace tundrel;

namespace {

// Places within their own rows, which R counts from 1.
std::vector<int> places(const int* all, std::int64_t first, std::int64_t end) {
  std::vector<int> out(all + first, all + end);
  for (int& one : out) --one;
  return out;
}

Furthest furthest_from_r(const std::string& name) {
  if (name == "none") return Furthest::none;
  return name == "robust" ? Furthest::robust : Furthest::plain;
}

// What is asked of all sets of rows, row by row, and of each set whether its tests are to be made.
struct Plans {
  struct Pattern {
    Rcpp::IntegerVector order;
    Rcpp::LogicalVector last;
  };
  Rcpp::IntegerVector order, replicates;
  Rcpp::NumericVector level, freedom;
  Rcpp::LogicalVector level_asked, replicates_asked;
  std::vector<Pattern> patterns;

  explicit Plans(const Rcpp::List& plan)
      : order(plan["order"]), replicates(plan["replicates"]), level(plan["level"]), freedom(plan["freedom"]), level_asked(plan["level_asked"]),
        replicates_asked(plan["replicates_asked"]) {
    for (const Rcpp::List one : Rcpp::as<Rcpp::List>(plan["patterns"])) patterns.push_back({one["order"], one["last"]});
  }

  CheckPlan of(int k, std::int64_t first, std::int64_t end, const std::vector<double>& scores) const {
    CheckPlan out;
    out.order = places(order.begin(), first, end);
    if (level_asked.begin()[k]) out.level.assign(level.begin() + first, level.begin() + end);
    if (replicates_asked.begin()[k]) out.replicates = places(replicates.begin(), first, end);
    out.scores = scores;
    out.freedom = freedom.begin()[k];
    for (const Pattern& one : patterns) out.patterns.push_back({places(one.order.begin(), first, end), std::vector<char>(one.last.begin() + first, one.last.begin() + end)});
    return out;
  }
};

}  // namespace

// Residuals of sets of rows, those of set k behind `first[k]`, against sets of noise, a column each: `noise[[which[k]]]`, of as many rows, with the
// normal `scores` of so many. With a `basis` (row by row) both are made upright on it, residuals being given as shares of what a fit leaves. A column a set
// of rows of statistics and of shares at most and at least as large, a row a test.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_check_residuals(const Rcpp::NumericVector& z, const Rcpp::NumericVector& first, const Rcpp::List& noise, const Rcpp::List& scores,
                                const Rcpp::IntegerVector& which, const Rcpp::NumericMatrix& basis, const Rcpp::List& plan, const std::string& furthest,
                                const Rcpp::IntegerVector& zeros, int threads) {
  std::vector<Eigen::MatrixXd> drawn;
  for (const Rcpp::NumericMatrix one : noise) drawn.push_back(matrix_from_r(one).transpose());
  const auto normal = Rcpp::as<std::vector<std::vector<double>>>(scores);
  const Eigen::MatrixXd planes = matrix_from_r(basis);
  const Plans plans(plan);
  const Furthest far = furthest_from_r(furthest);
  const int count = static_cast<int>(first.size()) - 1, tests = kTestsBeforePatterns + static_cast<int>(plans.patterns.size());
  Rcpp::NumericMatrix statistic(tests, count), low(tests, count), high(tests, count);
  Rcpp::NumericVector expected(count), residuals(z.size()), outlying(far == Furthest::none ? 0 : z.size());
  // what workers read and write is asked of R before
  const double* const given = z.begin();
  const double* const begins = first.begin();
  const int *const set = which.begin(), *const zero = zeros.begin();
  double *const to_residuals = residuals.begin(), *const to_outlying = outlying.begin(), *const to_expected = expected.begin();
  double *const to_statistic = statistic.begin(), *const to_low = low.begin(), *const to_high = high.begin();
  share_out(count, threads, [&](int, int k) {
    const std::int64_t begin = static_cast<std::int64_t>(begins[k]), n = static_cast<std::int64_t>(begins[k + 1]) - begin;
    const Eigen::MatrixXd& sets = drawn.at(set[k] - 1);
    Eigen::RowVectorXd mine = Eigen::Map<const Eigen::RowVectorXd>(given + begin, n);
    const Eigen::MatrixXd plane = planes.middleRows(begin, planes.cols() > 0 ? n : 0);
    if (planes.cols() > 0) {
      for (int i = 0; i < mine.size(); ++i) mine[i] *= std::sqrt(std::max(1 - plane.row(i).squaredNorm(), 1e-8));
      mine = upright_on(mine, plane);
    }
    std::copy(mine.data(), mine.data() + n, to_residuals + begin);
    const CheckPlan asked = plans.of(k, begin, begin + n, normal[set[k] - 1]);
    const CheckOutcome found = check_residuals(mine, planes.cols() > 0 ? upright_on(sets, plane) : sets, asked, far, zero[k]);
    const std::int64_t at = static_cast<std::int64_t>(k) * tests;
    std::copy(found.statistic.begin(), found.statistic.end(), to_statistic + at);
    std::copy(found.low.begin(), found.low.end(), to_low + at);
    std::copy(found.high.begin(), found.high.end(), to_high + at);
    if (far != Furthest::none) std::copy(found.outlying.begin(), found.outlying.end(), to_outlying + begin);
    to_expected[k] = found.expected_runs;
  });
  using Rcpp::_;
  return Rcpp::List::create(_["statistic"] = statistic, _["low"] = low, _["high"] = high, _["expected_runs"] = expected, _["z"] = residuals, _["outlying"] = outlying);
}
