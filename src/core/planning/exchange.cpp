// Exchange of the reading that is missed least for the one that is worth most, until none pays (Fedorov 1972, Theory of Optimal Experiments;
// Atkinson, Donev and Tobias 2007, Optimum Experimental Designs, with SAS, chapter 12).
#include "exchange.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

namespace tundrel {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using Eigen::VectorXi;

namespace {

constexpr int kPasses = 200;
constexpr double kPays = 1e-10, kAfford = 1e-9;

class Bench {
 public:
  Bench(const Aims& aims, const VectorXd& costs, double budget, const VectorXi& most, const VectorXi& readings)
      : aims_(aims), costs_(costs), most_(most), readings_(readings), left_(budget - costs.dot(readings.cast<double>())) {
    for (const Aim& aim : aims.each) information_.push_back(information(aim, readings.cast<double>()));
    value_ = value_with(-1, -1);
  }
  const VectorXi& readings() const { return readings_; }
  double value() const { return value_; }

  // The best reading that can still be paid for, by what it is worth for its cost.
  bool add() {
    Index best = -1;
    double most = -std::numeric_limits<double>::infinity();
    const bool reached = std::isfinite(value_);
    for (Index k = 0; k < costs_.size(); ++k) {
      if (!may_take(k, 0)) continue;
      const double value = value_with(k, -1);
      const double rate = reached ? (value - value_) / costs_[k] : value;
      if (best < 0 || rate > most) {
        most = rate;
        best = k;
      }
    }
    if (best < 0) return false;
    take(best, -1);
    return true;
  }

  // The best exchange; FALSE where none pays.
  bool exchange() {
    Index in = -1, out = -1;
    double best = value_ + kPays * (1 + std::abs(value_));
    for (Index j = 0; j < costs_.size(); ++j) {
      if (readings_[j] == 0) continue;
      for (Index k = 0; k < costs_.size(); ++k) {
        if (k == j || !may_take(k, costs_[j])) continue;
        const double value = value_with(k, j);
        if (!(value > best)) continue;
        best = value;
        in = k;
        out = j;
      }
    }
    if (in < 0) return false;
    take(in, out);
    return true;
  }

  void settle() {
    while (add()) {}
    for (int pass = 0; pass < kPasses && exchange(); ++pass) while (add()) {}
  }

 private:
  const Aims& aims_;
  const VectorXd& costs_;
  const VectorXi& most_;
  VectorXi readings_;
  double left_, value_;
  std::vector<MatrixXd> information_;

  bool may_take(Index k, double freed) const { return readings_[k] < most_[k] && costs_[k] <= (left_ + freed) * (1 + kAfford); }
  static MatrixXd changed(const Aim& aim, const MatrixXd& before, Index in, Index out) {
    MatrixXd now = before;
    if (in >= 0) now.noalias() += aim.candidates.of(in).transpose() * aim.candidates.of(in);
    if (out >= 0) now.noalias() -= aim.candidates.of(out).transpose() * aim.candidates.of(out);
    return now;
  }
  double value_with(Index in, Index out) const {
    VectorXd sums = VectorXd::Zero(aims_.groups());
    for (std::size_t a = 0; a < aims_.each.size(); ++a) {
      const Aim& aim = aims_.each[a];
      sums[aim.group] += aim.share * worth(aim, changed(aim, information_[a], in, out));
    }
    return sums.minCoeff();
  }
  void take(Index in, Index out) {
    ++readings_[in];
    left_ -= costs_[in];
    if (out >= 0) {
      --readings_[out];
      left_ += costs_[out];
    }
    // anew, so that no rounding adds up
    for (std::size_t a = 0; a < aims_.each.size(); ++a) information_[a] = information(aims_.each[a], readings_.cast<double>());
    value_ = value_with(-1, -1);
  }
};

// Whole numbers at or below the shares, as far as they can be paid for.
VectorXi rounded_down(const VectorXd& shares, const VectorXi& most) {
  VectorXi out(shares.size());
  for (Index k = 0; k < shares.size(); ++k) out[k] = std::min(most[k], static_cast<int>(std::floor(shares[k] + 1e-9)));
  return out;
}

VectorXi by_chance(const VectorXd& costs, double budget, const VectorXi& most, std::mt19937& random) {
  VectorXi out = VectorXi::Zero(costs.size());
  std::vector<Index> open(static_cast<std::size_t>(costs.size()));
  for (std::size_t k = 0; k < open.size(); ++k) open[k] = static_cast<Index>(k);
  double left = budget;
  while (!open.empty()) {
    const std::size_t at = random() % open.size();
    const Index k = open[at];
    if (out[k] < most[k] && costs[k] <= left * (1 + kAfford)) {
      ++out[k];
      left -= costs[k];
    } else {
      open[at] = open.back();
      open.pop_back();
    }
  }
  return out;
}

}  // namespace

WholeReadings exchanged(const Aims& aims, const VectorXd& costs, double budget, const VectorXi& most, const VectorXd& shares, int tries, unsigned seed) {
  std::mt19937 random(seed);
  WholeReadings best{VectorXi::Zero(costs.size()), -std::numeric_limits<double>::infinity()};
  for (int k = 0; k < tries; ++k) {
    const VectorXi from = k == 0 ? rounded_down(shares, most) : by_chance(costs, budget, most, random);
    Bench bench(aims, costs, budget, most, from);
    bench.settle();
    if (k == 0 || bench.value() > best.value) best = {bench.readings(), bench.value()};
  }
  return best;
}

}  // namespace tundrel
