// One local solver from many starts.
#pragma once
#include <functional>
#include <memory>

#include "random.h"
#include "run_loop.h"

namespace tundrel {

// Points that fill the search box, and which of them are worth a walk.
struct Sample {
  Eigen::MatrixXd points;  // a column each
  Eigen::VectorXd values;
  std::vector<bool> heads;
};

// A Latin hypercube over the box; parameters that enter linearly are given their best values at each point. A point
// with a better one close by is no head (single linkage: Rinnooy Kan and Timmer, 1987, Mathematical Programming 39,
// 57-78): close means within their critical distance, but never more than a small share of the box.
Sample sample_box(Problem& problem, int n, std::uint64_t seed, const std::vector<int>& linear);

using SolverMaker = std::function<std::unique_ptr<Solver>()>;

// A solver for each worker, who uses it again and again.
std::vector<std::unique_ptr<Solver>> one_each(const SolverMaker& make, int workers);

// Walks from each column of `starts`, where parameters have the sizes in `typical`. Each walk is the one that it
// would be alone, whatever the number of threads.
std::vector<RunResult> walk_from(Problem& problem, const SolverMaker& make, const Eigen::MatrixXd& starts,
                                 const Eigen::MatrixXd& typical, const Budget& budget);

}  // namespace tundrel
