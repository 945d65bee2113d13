#include "solver_table.h"

#include <algorithm>
#include <stdexcept>

namespace tundrel {
namespace {

// Made when the first solver is entered, whichever file that is in.
std::vector<SolverEntry>& entries() {
  static std::vector<SolverEntry> all;
  return all;
}

const SolverEntry& entry_of(const std::string& name) {
  for (const SolverEntry& entry : entries())
    if (entry.name == name) return entry;
  throw std::invalid_argument("unknown solver: " + name);
}

}  // namespace

SettingEntry number_setting(const char* name, double usual, double least, bool least_allowed, double most, bool most_allowed) {
  return {name, SettingEntry::Kind::number, usual, least, most, least_allowed, most_allowed};
}

SettingEntry whole_setting(const char* name, double usual, double least, double most) {
  return {name, SettingEntry::Kind::whole, usual, least, most, true, true};
}

SettingEntry flag_setting(const char* name, bool usual) { return {name, SettingEntry::Kind::flag, usual ? 1.0 : 0.0, 0, 1, true, true}; }

RegisteredSolver::RegisteredSolver(SolverEntry entry) {
  std::vector<SolverEntry>& all = entries();
  const auto before = [](const SolverEntry& a, const SolverEntry& b) { return a.global != b.global ? b.global : a.name < b.name; };
  all.insert(std::upper_bound(all.begin(), all.end(), entry, before), std::move(entry));
}

const std::vector<SolverEntry>& solver_table() { return entries(); }

std::unique_ptr<Solver> make_solver(const std::string& name, const SolverSettings& settings) { return entry_of(name).make(settings); }

std::unique_ptr<Solver> make_solver_for(Problem& problem, const std::string& name, const SolverSettings& settings) {
  const SolverEntry& entry = entry_of(name);
  const bool arrow = problem.arrow() && !problem.joint && entry.make_for_arrow;
  return arrow ? entry.make_for_arrow(settings) : entry.make(settings);
}

std::unique_ptr<PopulationSolver> make_population_solver(const std::string& name, const SolverSettings& settings) {
  for (const SolverEntry& entry : entries()) {
    if (entry.name != name || !entry.global) continue;
    std::unique_ptr<Solver> made = entry.make(settings);
    return std::unique_ptr<PopulationSolver>(static_cast<PopulationSolver*>(made.release()));
  }
  return nullptr;
}

}  // namespace tundrel
