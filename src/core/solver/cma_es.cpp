#include "cma_es.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver cma_es_entry{{
    "cma_es", true, "none", kAnyForm, Honours::everything,
    {whole_setting("population", kChosen, 4, kMostMembers), number_setting("spread", 0.3, 0, false, 1, true), number_setting("agreeing", 4, 1, true),
     number_setting("restarts", 9, 0, true)},
    "several optima, badly scaled valleys, noise", "very many parameters",
    [](const SolverSettings& s) {
      return std::make_unique<CovarianceAdaptation>(CovarianceAdaptation::Settings{s.whole("population"), s.number("spread"), s.whole("agreeing"), s.whole("restarts")}, PopulationSolver::Common{s.number("seed")});
    }}};

// Points outside the box are drawn again this often.
constexpr int kCmaMostDraws = 20;
// Ends of a search: steps, changes of value, and conditioning of the covariance.
constexpr double kShortStep = 1e-9, kCmaLevel = 1e-12, kMostConditioning = 1e14, kCmaGrown = 1e4;

}  // namespace

void CovarianceAdaptation::set_weights() {
  const int n = size(), lambda = population_, mu = lambda / 2;
  weights_.resize(mu);
  for (int i = 0; i < mu; ++i) weights_[i] = std::log((lambda + 1) / 2.0) - std::log(i + 1.0);
  weights_ /= weights_.sum();
  mu_eff_ = 1 / weights_.squaredNorm();
  c_c_ = (4 + mu_eff_ / n) / (n + 4 + 2 * mu_eff_ / n);
  c_s_ = (mu_eff_ + 2) / (n + mu_eff_ + 5);
  c_1_ = 2 / ((n + 1.3) * (n + 1.3) + mu_eff_);
  c_mu_ = std::min(1 - c_1_, 2 * (mu_eff_ - 2 + 1 / mu_eff_) / ((n + 2.0) * (n + 2.0) + mu_eff_));
  damping_ = 1 + 2 * std::max(0.0, std::sqrt((mu_eff_ - 1) / (n + 1)) - 1) + c_s_;
  expected_ = std::sqrt(static_cast<double>(n)) * (1 - 1 / (4.0 * n) + 1 / (21.0 * n * n));
}

void CovarianceAdaptation::begin(const Eigen::VectorXd& unit) {
  const int n = static_cast<int>(unit.size());
  if (population_ == 0)
    population_ = settings_.population > 0 ? settings_.population : 4 + static_cast<int>(3 * std::log(n));
  set_weights();
  mean_ = unit;
  path_c_ = path_s_ = Eigen::VectorXd::Zero(n);
  covariance_ = axes_ = Eigen::MatrixXd::Identity(n, n);
  widths_ = Eigen::VectorXd::Ones(n);
  step_ = first_step_ = settings_.spread;
  round_ = 0;
  history_.resize(0);
  search_best_ = unit;
  search_value_ = search_miss_ = kWorst;
}

Eigen::MatrixXd CovarianceAdaptation::draw_round(const Problem&) {
  Eigen::MatrixXd units(size(), population_);
  for (int k = 0; k < population_; ++k) {
    Eigen::VectorXd x;
    for (int draw = 0; draw < kCmaMostDraws; ++draw) {
      x = mean_ + step_ * (axes_ * widths_.cwiseProduct(random_.normals(size())));
      if (x.minCoeff() >= 0 && x.maxCoeff() <= 1) break;
    }
    units.col(k) = x.cwiseMax(0).cwiseMin(1);
  }
  if (first_search_ && round_ == 0) units.col(0) = best_;
  return units;
}

void CovarianceAdaptation::learn(const Eigen::MatrixXd& units, const std::vector<int>& order) {
  const int n = size(), mu = static_cast<int>(weights_.size());
  const Eigen::VectorXd before = mean_;
  mean_.setZero();
  for (int i = 0; i < mu; ++i) mean_ += weights_[i] * units.col(order[i]);
  const Eigen::VectorXd moved = (mean_ - before) / step_;
  const Eigen::VectorXd white = axes_ * (axes_.transpose() * moved).cwiseQuotient(widths_);
  path_s_ = (1 - c_s_) * path_s_ + std::sqrt(c_s_ * (2 - c_s_) * mu_eff_) * white;
  const double length = path_s_.norm();
  const bool quiet = length / std::sqrt(1 - std::pow(1 - c_s_, 2 * (round_ + 1))) < (1.4 + 2.0 / (n + 1)) * expected_;
  path_c_ = (1 - c_c_) * path_c_ + (quiet ? std::sqrt(c_c_ * (2 - c_c_) * mu_eff_) : 0) * moved;
  const double lost = quiet ? 0 : c_1_ * c_c_ * (2 - c_c_);
  covariance_ = (1 - c_1_ - c_mu_ + lost) * covariance_ + c_1_ * path_c_ * path_c_.transpose();
  for (int i = 0; i < mu; ++i) {
    const Eigen::VectorXd y = (units.col(order[i]) - before) / step_;
    covariance_ += c_mu_ * weights_[i] * y * y.transpose();
  }
  step_ *= std::exp(std::min(1.0, c_s_ / damping_ * (length / expected_ - 1)));
  decompose();
}

void CovarianceAdaptation::decompose() {
  covariance_ = (0.5 * (covariance_ + covariance_.transpose())).eval();
  const SymmetricSpectrum eigen = symmetric_spectrum(covariance_);
  axes_ = eigen.vectors;
  widths_ = eigen.values.cwiseMax(std::numeric_limits<double>::min()).cwiseSqrt();
}

const char* CovarianceAdaptation::over(const std::vector<Merit>& merits, const std::vector<int>& order) {
  const int n = size();
  const int kept = 10 + static_cast<int>(std::ceil(30.0 * n / population_));
  Eigen::VectorXd longer(std::min<Eigen::Index>(history_.size() + 1, 20 + 2 * kept));
  longer[0] = merits[order[0]].value;
  longer.tail(longer.size() - 1) = history_.head(longer.size() - 1);
  history_ = longer;
  const auto level = [](double low, double high) { return high - low <= kCmaLevel * std::max(std::fabs(low), std::fabs(high)) || high == low; };
  const double widest = step_ * widths_.maxCoeff();
  if (lenient()) return nullptr;
  if (history_.size() >= kept && level(history_.head(kept).minCoeff(), history_.head(kept).maxCoeff()) &&
      level(merits[order[0]].value, merits[order[population_ / 2]].value))
    return "values no longer differ";
  if (widest < kShortStep) return "steps became tiny";
  const double conditioning = widths_.maxCoeff() / widths_.minCoeff();
  if (conditioning * conditioning > kMostConditioning) return "distribution became flat";
  if (step_ * widths_.maxCoeff() > kCmaGrown * first_step_) return "steps grew";
  const int axis = static_cast<int>(round_) % n;
  if (mean_ == mean_ + 0.1 * step_ * widths_[axis] * axes_.col(axis)) return "an axis has no effect";
  for (int i = 0; i < n; ++i)
    if (mean_[i] == mean_[i] + 0.2 * step_ * std::sqrt(covariance_(i, i))) return "a coordinate has no effect";
  // Stagnation: the newer half of the history is no better than the older.
  if (history_.size() == 20 + 2 * kept && round_ > 100 + 50 * n) {
    std::vector<double> recent(history_.data(), history_.data() + kept), old(history_.data() + history_.size() - kept, history_.data() + history_.size());
    std::nth_element(recent.begin(), recent.begin() + kept / 2, recent.end());
    std::nth_element(old.begin(), old.begin() + kept / 2, old.end());
    if (recent[kept / 2] >= old[kept / 2]) return "values stagnate";
  }
  return nullptr;
}

void CovarianceAdaptation::judge_round(const Problem&, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) {
  const std::vector<int> order = ranked(merits);
  if (first_search_ && round_ == 0) restarts_.set_range(merits);
  if (merits[order[0]].better_than({search_value_, search_miss_}, allowed())) {
    search_best_ = units.col(order[0]);
    search_value_ = merits[order[0]].value;
    search_miss_ = merits[order[0]].miss;
  }
  learn(units, order);
  ++round_;
  status_.step_norm = step_ * widths_.maxCoeff();
  status_.action = "distribution adapted";
  const char* why = over(merits, order);
  if (why == nullptr) return;
  status_.action = why;
  renew();
}

void CovarianceAdaptation::renew() {
  restarts_.ended(search_best_, search_value_, best_, status_.value);
  if (restarts_.agree(settings_.agreeing)) {
    status_.reason = StopReason::value;
    status_.action = "searches agree";
    return;
  }
  if (restarts_.count() > settings_.restarts) {
    status_.reason = StopReason::stalled;
    return;
  }
  first_search_ = false;
  population_ *= 2;
  Eigen::VectorXd anew(size());
  for (int i = 0; i < size(); ++i) anew[i] = random_.uniform();
  begin(anew);
}

Eigen::MatrixXd CovarianceAdaptation::spread() const {
  Eigen::MatrixXd out(size(), size() + 1);
  out.col(0) = mean_;
  out.rightCols(size()) = step_ * axes_ * widths_.asDiagonal();
  return out;
}

void CovarianceAdaptation::visit_more(StateVisitor& v) {
  const int n = size();
  v.field("mean", mean_, n);
  v.require_in_cube("mean", mean_);
  v.finite("path_c", path_c_, n);
  v.finite("path_s", path_s_, n);
  v.within("widths", widths_, n, 0, kInfinity);
  v.finite("covariance", covariance_, n, n);
  v.finite("axes", axes_, n, n);
  v.within("step", step_, 0, kInfinity);
  v.within("first_step", first_step_, 0, kInfinity);
  v.within("round", round_, 0, 1e9);
  v.whole("population", population_, 2, 1e6);
  v.require(!under_way() || units().cols() == population_, "population");
  v.within("history", history_, StateVisitor::kAny, -kWorst, kWorst);
  v.field("search_best", search_best_, n);
  v.require_in_cube("search_best", search_best_);
  v.within("search_value", search_value_, v.least_value(), kInfinity);
  v.within("search_miss", search_miss_, 0, kInfinity);
  v.flag("first_search", first_search_);
  restarts_.visit(v, n);
  set_weights();
}

}  // namespace tundrel
