// Solvers by name.
#pragma once
#include <functional>
#include <memory>
#include <string>

#include "population.h"
#include "solver.h"

namespace tundrel {

// Where settings come from: numbers by name, and a first simplex if there is one (a column a corner).
struct SolverSettings {
  std::function<double(const char*)> number;
  Eigen::MatrixXd simplex;
};

// Throws std::invalid_argument for a name that is no solver's.
std::unique_ptr<Solver> make_solver(const std::string& name, const SolverSettings& settings);

// The same for those that ask for many values at once; none for a name that is not one of theirs.
std::unique_ptr<PopulationSolver> make_population_solver(const std::string& name, const SolverSettings& settings);

}  // namespace tundrel
