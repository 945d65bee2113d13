#include "settle_others.h"

#include <algorithm>

#include "../numbers.h"
#include "../problem/squares.h"
#include "../step/linear_step.h"
#include "../step/optimality.h"

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

void settle_others(Problem& problem, const std::vector<int>& resting, Eigen::VectorXd& x) {
  for (int k = 0; k < kMostSettlingSteps; ++k) {
    const Linearisation at = problem.squares()->linearise(x);
    if (!at.usable) return;
    Eigen::VectorXd slope, norms, step;
    at.slope(slope);
    at.column_norms(norms);
    norms = (norms.array() > 0).select(norms, 1);
    const std::vector<int> moving = places_without(unheld_parameters(problem, x, slope), resting);
    bounded_step(problem, x, at, moving, norms, kInfinity, LinearStep(at.factor, moving, norms, at.projected), step);
    if (!(at.promised(step) > kSettled * at.value)) return;
    double share = 1;
    Eigen::VectorXd to = problem.bounds().along(x, step);
    for (int halvings = 0; halvings < kMostHalvings && !(problem.value(to) < at.value); ++halvings) to = problem.bounds().along(x, step, share /= 2);
    if (!(problem.value(to) < at.value)) return;
    x = to;
  }
}

}  // namespace tundrel
