#include "differential_evolution.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "space_filling.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver differential_evolution_entry{{
    "differential_evolution", true, "none", kAnyForm, Honours::everything,
    {whole_setting("population", kChosen, 5, kMostMembers), number_setting("agreeing", 2, 1, true)},
    "many optima, parameters that act separately", "long narrow valleys",
    [](const SolverSettings& s) {
      return std::make_unique<DifferentialEvolution>(DifferentialEvolution::Settings{s.whole("population"), s.whole("agreeing")}, PopulationSolver::Common{s.number("seed")});
    }}};

constexpr int kMemory = 6;
// Fewer members have nobody to learn from.
constexpr int kLeastMembers = 4;
constexpr double kSpread = 0.1;  // of scale and crossover around their means
constexpr double kMostElite = 0.2;
// A population within this of its best, in the cube, or with values this close, has gathered.
constexpr double kGathered = 1e-5, kEvolutionLevel = 1e-10;
// The same for the last search, whose best is the answer.
constexpr double kTight = 1e-9, kTightLevel = 1e-15;

}  // namespace

void DifferentialEvolution::begin(const Eigen::VectorXd& unit) {
  const int n = settings_.population > 0 ? settings_.population : std::clamp(10 * size(), 30, 150);
  members_.resize(unit.size(), n);
  values_ = Eigen::VectorXd::Constant(n, std::numeric_limits<double>::max());
  misses_ = values_;
  scale_means_ = crossover_means_ = Eigen::VectorXd::Constant(kMemory, 0.5);
  archive_.resize(unit.size(), 0);
  slot_ = 0;
  first_round_ = true;
}

void DifferentialEvolution::put(int k, const Eigen::VectorXd& unit, const Merit& merit) {
  members_.col(k) = unit;
  values_[k] = merit.value;
  misses_[k] = merit.miss;
}

Eigen::MatrixXd DifferentialEvolution::draw_round(const Problem&) {
  const int n = static_cast<int>(members_.cols()), p = size();
  if (first_round_) {
    Eigen::MatrixXd units = latin_hypercube(p, n, random_);
    if (first_search_) units.col(0) = best_;
    return units;
  }
  std::vector<Merit> merits;
  for (int k = 0; k < n; ++k) merits.push_back(merit(k));
  const std::vector<int> order = ranked(merits);
  Eigen::MatrixXd trials(p, n);
  scales_.resize(n);
  crossovers_.resize(n);
  for (int k = 0; k < n; ++k) {
    const int memory = random_.below(kMemory);
    double scale = 0;
    while (!(scale > 0)) scale = std::min(1.0, scale_means_[memory] + kSpread * random_.cauchy());
    crossovers_[k] = std::clamp(crossover_means_[memory] + kSpread * random_.normal(), 0.0, 1.0);
    scales_[k] = scale;
    const double share = 2.0 / n + random_.uniform() * std::max(0.0, kMostElite - 2.0 / n);
    const int elite = order[random_.below(std::max(2, static_cast<int>(share * n)))];
    int a = k, b = k;
    while (a == k) a = random_.below(n);
    const int pool = n + static_cast<int>(archive_.cols());
    while (b == k || b == a) b = random_.below(pool);
    const Eigen::VectorXd other = b < n ? members_.col(b) : archive_.col(b - n);
    const Eigen::VectorXd at = members_.col(k);
    const Eigen::VectorXd mutant = at + scale * (members_.col(elite) - at) + scale * (members_.col(a) - other);
    const int always = random_.below(p);
    for (int i = 0; i < p; ++i) {
      const bool crossed = random_.uniform() < crossovers_[k] || i == always;
      double to = crossed ? mutant[i] : at[i];
      // Halfway to a side that would be crossed.
      if (to < 0) to = at[i] / 2;
      if (to > 1) to = (at[i] + 1) / 2;
      trials(i, k) = to;
    }
  }
  return trials;
}

void DifferentialEvolution::judge_round(const Problem&, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) {
  const int n = static_cast<int>(members_.cols());
  if (first_round_) {
    for (int k = 0; k < n; ++k) put(k, units.col(k), merits[k]);
    if (first_search_) restarts_.set_range(merits);
    first_round_ = first_search_ = false;
    status_.action = restarts_.count() > 0 ? "new population" : "first population";
    return;
  }
  gains_ = Eigen::VectorXd::Zero(n);
  int successes = 0;
  for (int k = 0; k < n; ++k) {
    const Merit old = merit(k);
    if (better(old, merits[k])) continue;
    if (better(merits[k], old)) {
      gains_[k] = old.miss == merits[k].miss ? old.value - merits[k].value : old.miss - merits[k].miss;
      if (!std::isfinite(gains_[k])) gains_[k] = 1;
      ++successes;
      const int stored = static_cast<int>(archive_.cols());
      if (stored < n) archive_.conservativeResize(Eigen::NoChange, stored + 1);
      archive_.col(stored < n ? stored : random_.below(n)) = members_.col(k);
    }
    put(k, units.col(k), merits[k]);
  }
  if (successes > 0) remember();
  const double width = (members_.rowwise().maxCoeff() - members_.rowwise().minCoeff()).maxCoeff();
  status_.step_norm = width;
  status_.action = successes > 0 ? "some trials better" : "no trial better";
  if (gathered()) renew();
}

// Means of what succeeded, weighted by how much it gained; for scales the contraharmonic mean, which leans to large ones.
void DifferentialEvolution::remember() {
  const double sum = gains_.sum();
  if (!(sum > 0)) return;
  const Eigen::VectorXd weights = gains_ / sum;
  // where all are one, rounding may lead beyond
  crossover_means_[slot_] = std::min(1.0, weights.dot(crossovers_));
  scale_means_[slot_] = std::min(1.0, weights.dot(scales_.cwiseAbs2()) / weights.dot(scales_));
  slot_ = (slot_ + 1) % kMemory;
}

bool DifferentialEvolution::gathered() const {
  if (lenient()) return false;
  if (status_.step_norm < (closing_ ? kTight : kGathered)) return true;
  const double low = values_.minCoeff(), high = values_.maxCoeff();
  return misses_.maxCoeff() <= allowed() && high - low <= (closing_ ? kTightLevel : kEvolutionLevel) * std::fabs(low) && status_.step_norm < 0.1;
}

void DifferentialEvolution::renew() {
  if (closing_) {
    status_.reason = StopReason::value;
    status_.action = "gathered further";
    return;
  }
  std::vector<Merit> merits;
  for (int k = 0; k < values_.size(); ++k) merits.push_back(merit(k));
  const std::vector<int> order = ranked(merits);
  restarts_.ended(members_.col(order[0]), values_[order[0]], best_, status_.value);
  if (restarts_.agree(settings_.agreeing)) {
    closing_ = true;
    put(order.back(), best_, {status_.value, status_.infeasibility});
    status_.action = "searches agree";
    return;
  }
  begin(best_);
  status_.action = "gathered at a point";
}

void DifferentialEvolution::visit_more(StateVisitor& v) {
  const int p = size();
  v.field("members", members_, p, StateVisitor::kAny);
  const Eigen::Index n = members_.cols();
  v.require(n >= kLeastMembers && (!under_way() || units().cols() == n), "members");
  v.flag("first_round", first_round_);
  if (!first_round_) v.require_in_cube("members", members_);
  v.field("archive", archive_, p, StateVisitor::kAny);
  v.require(archive_.cols() <= n, "archive");
  v.within("values", values_, n, v.least_value(), kInfinity);
  v.within("misses", misses_, n, 0, kInfinity);
  v.field("scale_means", scale_means_, kMemory);
  v.require_in_cube("scale_means", scale_means_);
  v.field("crossover_means", crossover_means_, kMemory);
  v.require_in_cube("crossover_means", crossover_means_);
  // drawn anew each round
  v.field("scales", scales_, StateVisitor::kAny);
  v.field("crossovers", crossovers_, StateVisitor::kAny);
  v.require(first_round_ || !under_way() || (scales_.size() == n && crossovers_.size() == n), "scales");
  v.whole("slot", slot_, 0, kMemory - 1);
  v.flag("first_search", first_search_);
  v.flag("closing", closing_);
  restarts_.visit(v, p);
}

}  // namespace tundrel
