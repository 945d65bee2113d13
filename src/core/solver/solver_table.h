// All solvers, each entered by its own file: what it is for, what it is able to, and how it is made.
#pragma once
#include <functional>
#include <limits>
#include <memory>
#include <string>
#include <vector>

#include "population.h"
#include "solver.h"

namespace tundrel {

// Where settings come from: numbers by name, choices by name (empty where none is stated), and a first simplex if there is one (a column a
// corner).
struct SolverSettings {
  std::function<double(const char*)> number;
  std::function<std::string(const char*)> word = [](const char*) { return std::string(); };
  Eigen::MatrixXd simplex;

  int whole(const char* name) const { return static_cast<int>(number(name)); }
};

struct SettingEntry {
  enum class Kind { number, whole, flag };
  const char* name;
  Kind kind;
  double usual;  // not a number where the solver chooses
  double least, most;
  bool least_allowed, most_allowed;
};

// In the place of a usual value: the solver chooses.
constexpr double kChosen = std::numeric_limits<double>::quiet_NaN();
// Of a population: what memory and patience allow.
constexpr double kMostMembers = 1e6;
constexpr double kNoLimit = std::numeric_limits<double>::infinity();

// A number between limits, which may be met or not.
SettingEntry number_setting(const char* name, double usual, double least, bool least_allowed, double most = kNoLimit, bool most_allowed = false);
SettingEntry whole_setting(const char* name, double usual, double least, double most = kNoLimit);
SettingEntry flag_setting(const char* name, bool usual);

// Which conditions between parameters a solver honours.
enum class Honours { none, inequalities, everything };

struct SolverEntry {
  std::string name;
  bool global;
  const char* derivatives;  // that it asks for, in words
  std::vector<Form> forms;  // of criteria that it serves
  Honours honours;
  std::vector<SettingEntry> settings;
  const char *good_at, *weak_at;
  std::function<std::unique_ptr<Solver>(const SolverSettings&)> make;
  int most_parameters = 0;  // that it serves; 0 for any number
  // The same method for sums of squares with the shape of an arrow, where there is one.
  std::function<std::unique_ptr<Solver>(const SolverSettings&)> make_for_arrow = nullptr;
};

// Enters a solver when the library is loaded: a constant of this type stands in each solver's file.
struct RegisteredSolver {
  explicit RegisteredSolver(SolverEntry entry);
};

// Local solvers first, by name.
const std::vector<SolverEntry>& solver_table();

// Throws std::invalid_argument for a name that is no solver's.
std::unique_ptr<Solver> make_solver(const std::string& name, const SolverSettings& settings);
// That which suits the problem's shape.
std::unique_ptr<Solver> make_solver_for(Problem& problem, const std::string& name, const SolverSettings& settings);

// The same for those that ask for many values at once; none for a name that is not one of theirs.
std::unique_ptr<PopulationSolver> make_population_solver(const std::string& name, const SolverSettings& settings);

inline const std::vector<Form> kAnyForm{Form::squares, Form::smooth, Form::kinked}, kWithoutKinks{Form::squares, Form::smooth};

}  // namespace tundrel
