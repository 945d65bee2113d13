#include "grid_scan.h"

#include <algorithm>
#include <cmath>

#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver grid_scan_entry{{
    "grid", true, "none", kAnyForm, Honours::everything,
    {number_setting("points", kChosen, 2, true)},
    "one to three parameters, seeing the ground", "more parameters",
    [](const SolverSettings& s) {
      return std::make_unique<GridScan>(GridScan::Settings{s.whole("points")}, PopulationSolver::Common{s.number("seed")});
    }}};

constexpr int kAtOnce = 200;

}  // namespace

double GridScan::total() const { return std::pow(settings_.points, size()); }

Eigen::MatrixXd GridScan::draw_round(const Problem&) {
  const int n = static_cast<int>(std::min<double>(kAtOnce, total() - done_));
  Eigen::MatrixXd units(size(), n);
  for (int k = 0; k < n; ++k) {
    double place = done_ + k;
    for (int i = 0; i < size(); ++i) {
      const double along = std::fmod(place, settings_.points);
      units(i, k) = along / (settings_.points - 1);
      place = (place - along) / settings_.points;
    }
  }
  return units;
}

void GridScan::judge_round(const Problem&, const Eigen::MatrixXd& units, const std::vector<Merit>&) {
  done_ += static_cast<double>(units.cols());
  status_.action = "points scanned";
  status_.step_norm = 1 - done_ / total();
  if (done_ >= total()) status_.reason = StopReason::step;
}

}  // namespace tundrel
