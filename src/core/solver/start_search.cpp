#include "start_search.h"

#include <algorithm>
#include <limits>

#include "levenberg_marquardt.h"
#include "../step/linear_step.h"
#include "../problem/squares.h"

namespace tundrel {
namespace {

using Clock = Evaluation::Clock;

// Starts closer than this, relative to their typical sizes, count as the same.
constexpr double kSameStart = 1e-3;

bool close_together(const Problem& problem, const Eigen::VectorXd& a, const Eigen::VectorXd& b) {
  for (int i = 0; i < a.size(); ++i) {
    const double size = std::max({std::fabs(a[i]), std::fabs(b[i]), 1e-6 * problem.bounds().typical[i]});
    if (std::fabs(a[i] - b[i]) > kSameStart * size) return false;
  }
  return true;
}

Start walked_on(Problem& problem, const Start& from, int iterations) {
  LevenbergMarquardt solver({});
  solver.start(problem, from.x);
  for (int k = 0; k < iterations && solver.status().reason == StopReason::none && Clock::now() < problem.work.deadline; ++k) solver.iterate(problem);
  if (solver.status().reason == StopReason::failed || !(solver.status().value < from.value)) return from;
  return {solver.status().x, solver.status().value};
}

}  // namespace

Eigen::VectorXd eliminate_linear(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& linear) {
  const Linearisation at = problem.squares()->linearise(x);
  if (!at.usable || linear.empty()) return x;
  Eigen::VectorXd scale;
  at.column_norms(scale);
  std::vector<int> felt;
  for (int i : linear)
    if (scale[i] > 0) felt.push_back(i);
  Eigen::VectorXd step;
  bounded_step(problem, x, at, felt, scale, std::numeric_limits<double>::infinity(), LinearStep(at.factor, felt, scale, at.projected), step);
  Eigen::VectorXd to = x;
  for (int i : felt) to[i] = problem.bounds().moved(i, x[i], step[i]);
  return to;
}

std::vector<Start> search_starts(Problem& problem, const Eigen::MatrixXd& points, const std::vector<int>& linear,
                                 int finalists, int iterations) {
  const Clock::time_point began = Clock::now();
  const Clock::time_point half = began + (problem.work.deadline - began) / 2;
  std::vector<Start> tried;
  for (int k = 0; k < points.cols() && (tried.empty() || Clock::now() < half); ++k) {
    const Eigen::VectorXd x = eliminate_linear(problem, points.col(k), linear);
    const double value = problem.value(x);
    if (std::isfinite(value)) tried.push_back({x, value});
  }
  const auto better = [](const Start& a, const Start& b) { return a.value < b.value; };
  // the best of each of as many parts, since the best of all are often neighbours
  std::vector<Start> best(std::min<std::size_t>(tried.size(), finalists));
  for (std::size_t k = 0; k < tried.size(); ++k)
    if (k < best.size() || better(tried[k], best[k % best.size()])) best[k % best.size()] = tried[k];
  tried = best;
  for (Start& start : tried) start = walked_on(problem, start, iterations);
  std::stable_sort(tried.begin(), tried.end(), better);
  std::vector<Start> apart;
  for (const Start& start : tried)
    if (std::none_of(apart.begin(), apart.end(), [&](const Start& a) { return close_together(problem, a.x, start.x); }))
      apart.push_back(start);
  return apart;
}

}  // namespace tundrel
