// Six fixed pieces of work of the core, by number, for counting the instructions they take: tools/instructions.sh.
#include <cstdio>
#include <cstdlib>

#include "../tests/core/fixture.h"
#include "inference/group_fits.h"
#include "solver/differential_evolution.h"
#include "solver/levenberg_marquardt.h"
#include "solver/many_starts.h"
#include "solver/nelder_mead.h"
#include "solver/snapshot.h"

using namespace tundrel;

namespace {

SolverMaker levenberg_marquardt() {
  return [] { return std::make_unique<LevenbergMarquardt>(LevenbergMarquardt::Settings()); };
}

// The sum of squares that a fit of the decay comes to.
double fit(int rows, Solver& solver) {
  const DecayData data(rows);
  return run(*decay_problem(data, no_bounds(2)), solver, vec({1, 1}), Budget()).value;
}

double groups() {
  const DecayData one(30);
  DecayData data(200 * 30);
  for (int i = 0; i < 200 * 30; ++i) {
    data.x[i] = one.x[i % 30];
    data.y[i] = (1 + 0.01 * (i / 30)) * one.y[i % 30] + 0.02 * std::sin(5.0 * i);
  }
  const auto problem = decay_problem(data, no_bounds(2));
  std::vector<long> first;
  for (int k = 0; k <= 200; ++k) first.push_back(30 * k);
  const Eigen::MatrixXd begin = vec({1, 1}).replicate(1, 200);
  return fit_groups(*problem, levenberg_marquardt(), begin, begin, {{data.x.data(), data.y.data()}, 200 * 30}, first, Budget()).value.sum();
}

double starts() {
  const DecayData data(100);
  const auto problem = decay_problem(data, no_bounds(2));
  Eigen::MatrixXd begin(2, 50);
  for (int k = 0; k < 50; ++k) begin.col(k) = vec({0.1 + 0.2 * k, 0.02 * (k + 1)});
  double sum = 0;
  for (const RunResult& one : walk_from(*problem, levenberg_marquardt(), begin, Eigen::MatrixXd::Ones(2, 50), Budget())) sum += one.value;
  return sum;
}

double search() {
  const DecayData data(50);
  const auto problem = decay_problem(data, no_bounds(2));
  problem->box = SearchBox{vec({0, 0}), vec({10, 3}), {false, false}, vec({0, 0})};
  DifferentialEvolution solver({0, 2}, {1});
  Budget budget;
  budget.evaluations = 4000;
  return run(*problem, solver, vec({1, 1}), budget).value;
}

double work(int number) {
  switch (number) {
    case 1: {
      LevenbergMarquardt solver{LevenbergMarquardt::Settings()};
      return fit(30, solver);
    }
    case 2: {
      LevenbergMarquardt solver{LevenbergMarquardt::Settings()};
      return fit(100000, solver);
    }
    case 3: return groups();
    case 4: return starts();
    case 5: {
      NelderMead solver{NelderMead::Settings()};
      return fit(30, solver);
    }
    case 6: return search();
    default: return 0;
  }
}

}  // namespace

int main(int, char** argv) {
  std::printf("%.6g\n", work(std::atoi(argv[1])));
  return 0;
}
