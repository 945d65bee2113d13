#include "settle_others.h"

#include <algorithm>
#include <cmath>

#include "../numbers.h"
#include "../problem/squares.h"
#include "../step/linear_step.h"
#include "../step/optimality.h"
#include "../step/quadratic_step.h"
#include "../step/sizes.h"

namespace tundrel {
namespace {

constexpr int kMostSettlingSteps = 50, kMostHalvings = 30;
// A step is the last one that promises less than this share of the value.
constexpr double kSettled = 1e-15;

}  // namespace

std::vector<int> places_without(std::vector<int> all, const std::vector<int>& some) {
  all.erase(std::remove_if(all.begin(), all.end(), [&](int i) { return std::find(some.begin(), some.end(), i) != some.end(); }), all.end());
  return all;
}

namespace {

// What a step in the moving parameters promises to take off the value; 0 where none is known.
double squares_step(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& resting, double& value, Eigen::VectorXd& step) {
  const Linearisation at = problem.squares()->linearise(x);
  if (!at.usable) return 0;
  Eigen::VectorXd slope, norms;
  at.slope(slope);
  at.column_norms(norms);
  norms = (norms.array() > 0).select(norms, 1);
  const std::vector<int> moving = places_without(unheld_parameters(problem, x, slope), resting);
  bounded_step(problem, x, at, moving, norms, kInfinity, LinearStep(at.factor, moving, norms, at.projected), step);
  value = at.value;
  return at.promised(step);
}

// No longer than the parameters' sizes, since what is no sum of squares may curve down.
double newton_step(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& resting, double& value, Eigen::VectorXd& step) {
  const Expansion at = problem.expand(x);
  if (!at.usable) return 0;
  const std::vector<int> moving = places_without(unheld_parameters(problem, x, at.gradient), resting);
  step = bounded_quadratic_step(problem, x, at, moving, parameter_sizes(problem, x), 1);
  value = at.value;
  return -predicted_change(at, step);
}

}  // namespace

void settle_others(Problem& problem, const std::vector<int>& resting, Eigen::VectorXd& x) {
  for (int k = 0; k < kMostSettlingSteps; ++k) {
    double value = 0;
    Eigen::VectorXd step;
    const double promised = (problem.squares() ? squares_step : newton_step)(problem, x, resting, value, step);
    if (!(promised > kSettled * std::fabs(value))) return;
    double share = 1;
    Eigen::VectorXd to = problem.bounds().along(x, step);
    for (int halvings = 0; halvings < kMostHalvings && !(problem.value(to) < value); ++halvings) to = problem.bounds().along(x, step, share /= 2);
    if (!(problem.value(to) < value)) return;
    x = to;
  }
}

}  // namespace tundrel
