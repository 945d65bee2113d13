#include "creases.h"

#include <algorithm>
#include <cmath>

#include "../numbers.h"
#include "../problem/squares.h"
#include "settle_others.h"
#include "verification.h"

namespace tundrel {
namespace {

// Distances from a crease, in sizes of its parameter, at which slopes are looked at: the first one for a point that is to lie on it.
constexpr double kAtCrease = 1e-8, kNearCrease[] = {1e-8, 1e-6, 1e-4, 1e-3};
// Between its two sides a slope changes by so many times more than the value's curvature explains.
constexpr double kBroken = 10;

double size_of(const Problem& problem, const Eigen::VectorXd& x, int i) { return std::max(std::fabs(x[i]), problem.bounds().typical[i]); }

// Half the slope and the lengths of the Jacobian's columns, some way off along one parameter.
struct Side {
  bool usable = false;
  double residual = 0;
  Eigen::VectorXd slope, norms;
};

Side beside(Problem& problem, const Eigen::VectorXd& x, int i, double by) {
  Side out;
  Eigen::VectorXd there = x;
  there[i] += by;
  if (there[i] < problem.bounds().lower[i] || there[i] > problem.bounds().upper[i]) return out;
  const Linearisation at = problem.squares()->linearise(there);
  if (!at.usable) return out;
  out.usable = true;
  out.residual = at.residual_norm();
  at.slope(out.slope);
  at.column_norms(out.norms);
  return out;
}

bool rises_on_both_sides(Problem& problem, const Eigen::VectorXd& x, int i, double width) {
  const Side low = beside(problem, x, i, -width), high = beside(problem, x, i, width);
  if (!low.usable || !high.usable) return false;
  Eigen::MatrixXd curvature;
  if (!problem.squares()->residual_curvature(x, curvature)) curvature = Eigen::MatrixXd::Zero(x.size(), x.size());
  const Eigen::VectorXd norms = low.norms.cwiseMax(high.norms), change = high.slope - low.slope;
  const double residual = std::max(low.residual, high.residual);
  for (int k = 0; k < x.size(); ++k) {
    const double nothing = kOptimalGradient * norms[k] * residual;
    const double explained = kBroken * 2 * width * (norms[i] * norms[k] + std::fabs(curvature(i, k)));
    if (k == i ? low.slope[i] > nothing || high.slope[i] < -nothing || !(change[i] > explained + nothing) : std::fabs(change[k]) > explained + nothing) return false;
  }
  return true;
}

// Where along a parameter the slope changes its sign, if it does so at once.
bool find_crease(Problem& problem, const Eigen::VectorXd& x, int i, double& place) {
  const double size = size_of(problem, x, i);
  const double* width = std::find_if(std::begin(kNearCrease), std::end(kNearCrease), [&](double share) { return rises_on_both_sides(problem, x, i, share * size); });
  if (width == std::end(kNearCrease)) return false;
  double low = -*width * size, high = *width * size;
  while (high - low > kEpsilon * size) {
    const double middle = (low + high) / 2;
    const Side there = beside(problem, x, i, middle);
    if (!there.usable || middle == low || middle == high) return false;
    (there.slope[i] < 0 ? low : high) = middle;
  }
  Eigen::VectorXd below = x, above = x;
  below[i] += low;
  above[i] += high;
  place = (problem.value(below) < problem.value(above) ? below : above)[i];
  return true;
}

}  // namespace

std::vector<int> creases_at(Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& moving) {
  std::vector<int> out;
  std::copy_if(moving.begin(), moving.end(), std::back_inserter(out), [&](int i) { return rises_on_both_sides(problem, x, i, kAtCrease * size_of(problem, x, i)); });
  return out;
}

bool settle_on_creases(Problem& problem, const Eigen::VectorXd& x, Eigen::VectorXd& to) {
  to = x;
  std::vector<int> resting;
  for (int i = 0; i < x.size(); ++i)
    if (find_crease(problem, to, i, to[i])) resting.push_back(i);
  if (resting.empty()) return false;
  settle_others(problem, resting, to);
  return problem.value(to) <= problem.value(x) && creases_at(problem, to, resting) == resting;
}

}  // namespace tundrel
