#include "annealing.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>

#include "space_filling.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver annealing_entry{{
    "annealing", true, "none", kAnyForm, Honours::everything,
    {number_setting("cooling", 0.85, 0, false, 1), whole_setting("chains", 8, 1, kMostMembers), number_setting("sweeps", 20, 1, true)},
    "rough ground", "cost",
    [](const SolverSettings& s) {
      return std::make_unique<Annealing>(Annealing::Settings{s.number("cooling"), s.whole("chains"), s.whole("sweeps")}, PopulationSolver::Common{s.number("seed")});
    }}};

// Lengths of moves are looked at after so many sweeps.
constexpr int kSweepsPerLook = 5;
// It has frozen when the best value has changed by less than this share over so many temperatures.
constexpr double kFrozen = 1e-6;
constexpr int kTemperatures = 4;

}  // namespace

void Annealing::begin(const Eigen::VectorXd& unit) {
  const int p = static_cast<int>(unit.size());
  chains_.resize(p, settings_.chains);
  values_ = misses_ = Eigen::VectorXd::Constant(settings_.chains, kWorst);
  lengths_ = Eigen::VectorXd::Constant(p, 0.5);
  accepted_ = tried_ = Eigen::VectorXd::Zero(p);
  recent_.resize(0);
}

Eigen::MatrixXd Annealing::draw_round(const Problem&) {
  const int n = settings_.chains;
  if (first_round_) {
    Eigen::MatrixXd units = latin_hypercube(size(), n, random_);
    units.col(0) = best_;
    return units;
  }
  Eigen::MatrixXd units = chains_;
  for (int k = 0; k < n; ++k) {
    double to = -1;
    while (to < 0 || to > 1) to = chains_(coordinate_, k) + (2 * random_.uniform() - 1) * lengths_[coordinate_];
    units(coordinate_, k) = to;
  }
  return units;
}

bool Annealing::accepts(const Merit& from, const Merit& to) {
  if (!better(from, to)) return true;
  if (std::max(to.miss, 0.0) > std::max(from.miss, allowed())) return false;
  const double rise = to.value - from.value;
  return temperature_ > 0 && std::isfinite(rise) && random_.uniform() < std::exp(-rise / temperature_);
}

void Annealing::judge_round(const Problem&, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) {
  const int n = settings_.chains;
  if (first_round_) {
    double low = kWorst, high = -kWorst;
    for (int k = 0; k < n; ++k) {
      chains_.col(k) = units.col(k);
      values_[k] = merits[k].value;
      misses_[k] = merits[k].miss;
      if (values_[k] < kWorst) {
        low = std::min(low, values_[k]);
        high = std::max(high, values_[k]);
      }
    }
    temperature_ = high > low ? high - low : 1;
    first_round_ = false;
    status_.action = "first points";
    return;
  }
  int moved = 0;
  for (int k = 0; k < n; ++k) {
    ++tried_[coordinate_];
    if (!accepts({values_[k], misses_[k]}, merits[k])) continue;
    ++accepted_[coordinate_];
    ++moved;
    chains_.col(k) = units.col(k);
    values_[k] = merits[k].value;
    misses_[k] = merits[k].miss;
  }
  status_.action = moved > 0 ? "moves accepted" : "moves refused";
  status_.step_norm = lengths_.maxCoeff();
  coordinate_ = (coordinate_ + 1) % size();
  if (coordinate_ > 0) return;
  ++moves_;
  if (static_cast<std::int64_t>(moves_) % kSweepsPerLook == 0) adapt_lengths();
  if (moves_ >= settings_.sweeps) cool();
}

void Annealing::adapt_lengths() {
  for (int i = 0; i < size(); ++i) {
    const double share = tried_[i] > 0 ? accepted_[i] / tried_[i] : 0.5;
    if (share > 0.6) lengths_[i] *= 1 + 2 * (share - 0.6) / 0.4;
    if (share < 0.4) lengths_[i] /= 1 + 2 * (0.4 - share) / 0.4;
    lengths_[i] = std::min(lengths_[i], 0.5);
  }
  accepted_.setZero();
  tried_.setZero();
}

void Annealing::cool() {
  moves_ = 0;
  temperature_ *= settings_.cooling;
  int worst = 0;
  for (int k = 1; k < settings_.chains; ++k)
    if (better({values_[worst], misses_[worst]}, {values_[k], misses_[k]})) worst = k;
  chains_.col(worst) = best_;
  values_[worst] = status_.value;
  misses_[worst] = status_.infeasibility;
  status_.action = "temperature lowered";
  const int n = static_cast<int>(recent_.size());
  Eigen::VectorXd recent(std::min(n + 1, kTemperatures));
  recent.tail(recent.size() - 1) = recent_.head(recent.size() - 1);
  recent[0] = values_.minCoeff();
  recent_ = recent;
  const double change = recent_.maxCoeff() - recent_.minCoeff();
  if (recent_.size() == kTemperatures && change <= kFrozen * (std::fabs(status_.value) + change) && lengths_.maxCoeff() < 1e-2)
    status_.reason = StopReason::value;
  if (lengths_.maxCoeff() < 1e-8) status_.reason = StopReason::step;
}

void Annealing::visit_more(StateVisitor& v) {
  const int p = size(), n = settings_.chains;
  v.field("chains", chains_, p, n);
  v.flag("first_round", first_round_);
  if (!first_round_) v.require_in_cube("chains", chains_);
  v.within("values", values_, n, v.least_value(), kInfinity);
  v.within("misses", misses_, n, 0, kInfinity);
  v.within("lengths", lengths_, p, 0, 0.5);
  v.within("accepted", accepted_, p, 0, StateVisitor::kMost);
  v.within("tried", tried_, p, 0, StateVisitor::kMost);
  v.field("recent", recent_, StateVisitor::kAny);
  v.require(recent_.size() <= kTemperatures, "recent");
  v.within("temperature", temperature_, -1, kInfinity);
  v.within("moves", moves_, 0, StateVisitor::kMost);
  v.whole("coordinate", coordinate_, 0, std::max(0, p - 1));
  v.require(!under_way() || units().cols() == n, "units");
}

}  // namespace tundrel
