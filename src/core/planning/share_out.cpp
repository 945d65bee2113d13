// A primal-dual interior-point method (Nocedal and Wright 2006, Numerical Optimization, chapter 19) over a growing set of candidates.
#include "share_out.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "../decompositions.h"

namespace tundrel {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// So many candidates are looked at together at first, and so many join at a time.
constexpr Index kFirst = 20, kJoin = 10;
constexpr int kRounds = 100, kSteps = 200;
constexpr double kClose = 1e-11, kStay = 0.995, kDropped = 1e-9;

// The values of the groups at some shares of the budget, with derivatives.
struct Groups {
  VectorXd values;
  MatrixXd slopes;            // a column each
  std::vector<MatrixXd> bends;
};

Groups groups_at(const Aims& aims, const VectorXd& scale, const VectorXd& shares, bool with_bend) {
  const int n = aims.groups();
  Groups out{VectorXd::Zero(n), MatrixXd::Zero(shares.size(), n), {}};
  if (with_bend) out.bends.assign(static_cast<std::size_t>(n), MatrixXd::Zero(shares.size(), shares.size()));
  for (const Aim& aim : aims.each) {
    const Standing at = standing(aim, shares.cwiseProduct(scale), with_bend);
    out.values[aim.group] += aim.share * at.value;
    out.slopes.col(aim.group) += aim.share * at.slope.cwiseProduct(scale);
    if (with_bend && std::isfinite(at.value)) out.bends[static_cast<std::size_t>(aim.group)] += aim.share * scale.asDiagonal() * at.bend * scale.asDiagonal();
  }
  return out;
}

// Where the interior-point method stands: shares and how far groups lie above the least, both above zero, with their multipliers.
struct Interior {
  VectorXd shares, bounds;   // bounds: multipliers of shares that may not fall below zero
  VectorXd slack, duals;
  double least, price;
};

// How far a step keeps all of `x` above zero.
double room(const VectorXd& x, const VectorXd& step) {
  double out = 1;
  for (Index k = 0; k < x.size(); ++k)
    if (step[k] < 0) out = std::min(out, -kStay * x[k] / step[k]);
  return out;
}

Interior begin(const Aims& aims, const VectorXd& scale, const VectorXd& from) {
  const Index n = from.size();
  // away from the edge, but not far from where it stood
  VectorXd shares = 0.9 * from.cwiseMax(1e-6).matrix() + VectorXd::Constant(n, 0.1 / static_cast<double>(n));
  shares /= shares.sum();
  const Groups at = groups_at(aims, scale, shares, false);
  const Index m = at.values.size();
  Interior out{shares, VectorXd(), VectorXd(), VectorXd::Constant(m, 1.0 / static_cast<double>(m)), at.values.minCoeff() - 0.1, 0};
  out.slack = at.values.array() - out.least;
  const VectorXd slope = at.slopes * out.duals;
  out.price = slope.maxCoeff() + 0.1;
  out.bounds = (out.price - slope.array()).max(0.1);
  return out;
}

// One Newton step towards the path on which products with multipliers are `middle`. FALSE where it leads nowhere.
bool step(const Aims& aims, const VectorXd& scale, double middle, Interior& at) {
  const Index n = at.shares.size(), m = at.duals.size();
  const Groups now = groups_at(aims, scale, at.shares, true);
  MatrixXd system = MatrixXd::Zero(n + m + 2, n + m + 2);
  VectorXd right(n + m + 2);
  for (Index g = 0; g < m; ++g) system.topLeftCorner(n, n) -= at.duals[g] * now.bends[static_cast<std::size_t>(g)];
  system.diagonal().head(n) += at.bounds.cwiseQuotient(at.shares);
  system.block(0, n, n, m) = -now.slopes;
  system.block(n, 0, m, n) = now.slopes.transpose();
  for (Index g = 0; g < m; ++g) system(n + g, n + g) = at.slack[g] / at.duals[g];
  system.block(n, n + m, m, 1).setConstant(-1);
  system.block(n + m, n, 1, m).setConstant(1);
  system.block(0, n + m + 1, n, 1).setConstant(1);
  system.block(n + m + 1, 0, 1, n).setConstant(1);
  right.head(n) = now.slopes * at.duals - VectorXd::Constant(n, at.price) + middle * at.shares.cwiseInverse();
  for (Index g = 0; g < m; ++g) right[n + g] = -(now.values[g] - at.least - middle / at.duals[g]);
  right[n + m] = 1 - at.duals.sum();
  right[n + m + 1] = 1 - at.shares.sum();
  const VectorXd found = pivoted_solution(system, right);
  if (!found.allFinite()) return false;
  const VectorXd shares = found.head(n), duals = found.segment(n, m);
  const VectorXd bounds = (middle - at.bounds.array() * shares.array()) / at.shares.array() - at.bounds.array();
  const VectorXd slack = (middle - at.slack.array() * duals.array()) / at.duals.array() - at.slack.array();
  double of_shares = std::min(room(at.shares, shares), room(at.slack, slack));
  const double of_multipliers = std::min(room(at.bounds, bounds), room(at.duals, duals));
  VectorXd next;
  for (int k = 0; k < 40; ++k, of_shares /= 2) {
    next = at.shares + of_shares * shares;
    if (std::isfinite(aims.least(next.cwiseProduct(scale)))) break;
  }
  at.shares = next;
  at.slack += of_shares * slack;
  at.least += of_shares * found[n + m];
  at.bounds += of_multipliers * bounds;
  at.duals += of_multipliers * duals;
  at.price += of_multipliers * found[n + m + 1];
  return true;
}

Interior solve(const Aims& aims, const VectorXd& scale, const VectorXd& from) {
  Interior at = begin(aims, scale, from);
  for (int k = 0; k < kSteps; ++k) {
    const double pairs = static_cast<double>(at.shares.size() + at.duals.size());
    const double complement = (at.shares.dot(at.bounds) + at.slack.dot(at.duals)) / pairs;
    const Groups now = groups_at(aims, scale, at.shares, false);
    const double off = std::max((now.values.array() - at.least - at.slack.array()).abs().maxCoeff(),
                                (now.slopes * at.duals + at.bounds - VectorXd::Constant(at.shares.size(), at.price)).cwiseAbs().maxCoeff());
    if (complement * pairs < kClose && off < 1e-9) break;
    // closer to the path where it is left
    const double aim = off > 10 * complement ? 0.5 : 0.15;
    if (!step(aims, scale, std::max(aim * complement, kClose / (10 * pairs)), at)) break;
  }
  return at;
}

// Candidates evenly among all, and besides those that tell most: without them an aim may be out of reach.
std::vector<Index> first_places(const Aims& aims, const VectorXd& scale) {
  const Index n = scale.size();
  std::vector<Index> out;
  if (n <= 3 * kFirst) {
    out.resize(static_cast<std::size_t>(n));
    std::iota(out.begin(), out.end(), 0);
    return out;
  }
  for (Index k = 0; k < kFirst; ++k) out.push_back(k * (n - 1) / (kFirst - 1));
  const Groups even = groups_at(aims, scale, VectorXd::Constant(n, 1.0 / static_cast<double>(n)), false);
  const VectorXd slope = even.slopes.rowwise().sum();
  std::vector<Index> order(static_cast<std::size_t>(n));
  std::iota(order.begin(), order.end(), 0);
  std::partial_sort(order.begin(), order.begin() + kFirst, order.end(), [&](Index a, Index b) { return slope[a] > slope[b]; });
  out.insert(out.end(), order.begin(), order.begin() + kFirst);
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

}  // namespace

Shares judge_amounts(const Aims& aims, const VectorXd& costs, double budget, const VectorXd& amounts, const VectorXd& duals) {
  const Groups at = groups_at(aims, VectorXd::Ones(costs.size()), amounts, false);
  const VectorXd slope = at.slopes * duals;
  const double least = at.values.minCoeff();
  const double best = (slope.array() * (budget / costs.array())).maxCoeff() - slope.dot(amounts);
  return {amounts, least, duals.dot(at.values) - least + best, duals, slope};
}

Shares share_out(const Aims& aims, const VectorXd& costs, double budget) {
  const VectorXd scale = budget / costs.array();
  std::vector<Index> places = first_places(aims, scale);
  VectorXd shares = VectorXd::Constant(static_cast<Index>(places.size()), 1.0 / static_cast<double>(places.size()));
  Shares best{VectorXd::Zero(costs.size()), 0, std::numeric_limits<double>::infinity(), VectorXd(), VectorXd()};
  for (int round = 0; round < kRounds; ++round) {
    const auto size = static_cast<Index>(places.size());
    VectorXd scale_here(size);
    for (Index k = 0; k < size; ++k) scale_here[k] = scale[places[static_cast<std::size_t>(k)]];
    const Interior found = solve(aims.some(places), scale_here, shares);
    VectorXd kept = (found.shares.array() > kDropped).select(found.shares, 0);
    kept /= kept.sum();
    VectorXd amounts = VectorXd::Zero(costs.size());
    for (Index k = 0; k < size; ++k) amounts[places[static_cast<std::size_t>(k)]] = kept[k] * scale_here[k];
    const Shares now = judge_amounts(aims, costs, budget, amounts, found.duals / found.duals.sum());
    if (round == 0 || now.gap < best.gap) best = now;
    // those that would raise the value join, those without a share leave
    std::vector<Index> joining;
    const VectorXd gain = now.slope.cwiseProduct(scale);
    const double level = gain.dot(amounts.cwiseQuotient(scale));
    for (Index k = 0; k < gain.size(); ++k)
      if (gain[k] > level + 1e-10 && std::find(places.begin(), places.end(), k) == places.end()) joining.push_back(k);
    if (joining.empty()) break;
    if (static_cast<Index>(joining.size()) > kJoin) {
      std::partial_sort(joining.begin(), joining.begin() + kJoin, joining.end(), [&](Index a, Index b) { return gain[a] > gain[b]; });
      joining.resize(kJoin);
    }
    std::vector<Index> next;
    std::vector<double> weights;
    for (Index k = 0; k < size; ++k)
      if (kept[k] > 0) {
        next.push_back(places[static_cast<std::size_t>(k)]);
        weights.push_back(kept[k]);
      }
    for (const Index k : joining) {
      next.push_back(k);
      weights.push_back(0);
    }
    places = next;
    shares = Eigen::Map<VectorXd>(weights.data(), static_cast<Index>(weights.size()));
  }
  return best;
}

}  // namespace tundrel
