#include "many_starts.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../numbers.h"
#include "../threads.h"
#include "space_filling.h"
#include "start_search.h"

namespace tundrel {
namespace {

// Sigma of the critical distance; above 4 all local walks together are finite in number with probability one.
constexpr double kSigma = 4;
// Share of the side of the box, along each coordinate, that counts as close at most.
constexpr double kClose = 0.05;
// Times that so many points are drawn until enough satisfy the conditions.
constexpr int kMostDraws = 100;

double critical_distance(int coordinates, int n) {
  const double d = coordinates;
  return std::pow(std::tgamma(1 + d / 2) * kSigma * std::log(static_cast<double>(n)) / n, 1 / d) / std::sqrt(kPi);
}

bool inequalities_hold(const JointConditions& conditions, const Eigen::VectorXd& x) {
  const Eigen::VectorXd misses = conditions.misses(x);
  return (misses.tail(misses.size() - conditions.n_equalities()).array() <= 0).all();
}

// Points of the unit cube, those first that need not be moved to satisfy conditions: where an order is wanted, a move leads to ties, and
// terms with the same parameters are no place to begin.
Eigen::MatrixXd units_inside(const Problem& problem, int n, Random& random) {
  const int p = problem.box.size();
  const Eigen::MatrixXd first = latin_hypercube(p, n, random);
  if (!problem.joint) return first;
  Eigen::MatrixXd units(p, n);
  std::vector<int> outside;
  int inside = 0;
  for (int draw = 0; draw < kMostDraws && inside < n; ++draw) {
    const Eigen::MatrixXd more = draw == 0 ? first : latin_hypercube(p, n, random), points = problem.box.from_units(more);
    for (int k = 0; k < n && inside < n; ++k) {
      if (inequalities_hold(*problem.joint, points.col(k)))
        units.col(inside++) = more.col(k);
      else if (draw == 0)
        outside.push_back(k);
    }
  }
  for (std::size_t k = 0; inside < n; ++k) units.col(inside++) = first.col(outside[k]);
  return units;
}

}  // namespace

Sample sample_box(Problem& problem, int n, std::uint64_t seed, const std::vector<int>& linear) {
  Random random(seed);
  const int p = problem.box.size();
  const Eigen::MatrixXd units = units_inside(problem, n, random);
  Sample out;
  out.points = problem.box.from_units(units);
  if (!linear.empty())
    for (int k = 0; k < n && Evaluation::Clock::now() < problem.work.deadline; ++k) out.points.col(k) = eliminate_linear(problem, out.points.col(k), linear);
  // Fewer values than points where time is out, or the user has asked to stop.
  const Eigen::VectorXd found = problem.values(out.points);
  out.values = Eigen::VectorXd::Constant(n, std::numeric_limits<double>::quiet_NaN());
  out.values.head(found.size()) = found;
  // Parameters that were eliminated do not set points apart.
  std::vector<int> apart;
  for (int i = 0; i < p; ++i)
    if (std::find(linear.begin(), linear.end(), i) == linear.end()) apart.push_back(i);
  const int d = static_cast<int>(apart.size());
  const double close = std::min(critical_distance(std::max(1, d), n), kClose * std::sqrt(static_cast<double>(d)));
  for (int k = 0; k < n; ++k) {
    bool head = std::isfinite(out.values[k]);
    for (int other = 0; other < n && head; ++other) {
      if (other == k || !(out.values[other] < out.values[k])) continue;
      double distance = 0;
      for (int i : apart) distance += std::pow(units(i, k) - units(i, other), 2);
      if (std::sqrt(distance) < close) head = false;
    }
    out.heads.push_back(head);
  }
  return out;
}

std::vector<std::unique_ptr<Solver>> one_each(const SolverMaker& make, int workers) {
  std::vector<std::unique_ptr<Solver>> solvers;
  for (int k = 0; k < workers; ++k) solvers.push_back(make());
  return solvers;
}

std::vector<RunResult> walk_from(Problem& problem, const SolverMaker& make, const Eigen::MatrixXd& starts,
                                 const Eigen::MatrixXd& typical, const Budget& budget) {
  const int n = static_cast<int>(starts.cols());
  std::vector<std::unique_ptr<Problem>> own;
  for (int k = 0; k < std::min(problem.work.threads, n); ++k) {
    auto copy = problem.clone();
    if (copy) own.push_back(std::move(copy));
  }
  const int workers = std::max<int>(1, static_cast<int>(own.size()));
  const auto solvers = one_each(make, workers);
  std::vector<RunResult> results(n);
  const auto began = Evaluation::Clock::now();
  share_out(n, workers, [&](int thread, int job) {
    Problem& mine = own.empty() ? problem : *own[thread];
    mine.work.forget();
    mine.refined = false;
    mine.expect(typical.col(job));
    Budget left = budget;
    left.seconds = std::max(0.0, budget.seconds - std::chrono::duration<double>(Evaluation::Clock::now() - began).count());
    results[job] = run(mine, *solvers[thread], starts.col(job), left);
  });
  return results;
}

}  // namespace tundrel
