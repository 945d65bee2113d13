#include "nelder_mead.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>

#include "../step/sizes.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver nelder_mead_entry{{
    "nelder_mead", false, "none", kAnyForm, Honours::inequalities,
    {number_setting("size", 0.1, 0, false)},
    "rough or noisy values, few parameters", "many parameters, high accuracy",
    [](const SolverSettings& s) { return std::make_unique<NelderMead>(NelderMead::Settings{s.number("size"), s.simplex, s.number("tolerance")}); }}};

constexpr int kMostRestarts = 12;
// A restart is worth another if it lowers the value by this share.
constexpr double kWorth = 1e-13;

bool better(double value_a, double miss_a, double value_b, double miss_b) {
  return miss_a == miss_b ? value_a < value_b : miss_a < miss_b;
}

}  // namespace

NelderMead::Corner NelderMead::corner(Problem& problem, const Eigen::VectorXd& x) {
  const Bounds& bounds = problem.bounds();
  Eigen::VectorXd inside = x;
  // Open limits are approached from the best corner, never met.
  for (int i = 0; i < x.size(); ++i) {
    const double base = corners_.cols() > 0 && corners_.rows() == x.size() ? corners_(i, 0) : status_.x[i];
    inside[i] = base + std::clamp(x[i] - base, bounds.reach_down(i, base), bounds.reach_up(i, base));
    inside[i] = std::clamp(inside[i], bounds.lower[i], bounds.upper[i]);
  }
  double miss = 0;
  if (problem.joint) {
    miss = problem.joint->misses(inside).sum();
    if (!std::isfinite(miss)) miss = std::numeric_limits<double>::max();
  }
  const double value = problem.value(inside);
  return {inside, std::isfinite(value) ? value : std::numeric_limits<double>::max(), miss};
}

void NelderMead::put(int k, const Corner& c) {
  corners_.col(k) = c.x;
  values_[k] = c.value;
  misses_[k] = c.miss;
}

void NelderMead::sort() {
  const int n = static_cast<int>(values_.size());
  std::vector<int> order(n);
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return better(values_[a], misses_[a], values_[b], misses_[b]); });
  const Eigen::MatrixXd corners = corners_;
  const Eigen::VectorXd values = values_, misses = misses_;
  for (int k = 0; k < n; ++k) put(k, {corners.col(order[k]), values[order[k]], misses[order[k]]});
  status_.x = corners_.col(0);
  status_.value = values_[0];
  status_.infeasibility = misses_[0];
}

double NelderMead::extent() const {
  double most = 0;
  for (int k = 1; k < corners_.cols(); ++k)
    most = std::max(most, (corners_.col(k) - corners_.col(0)).cwiseQuotient(sizes_).lpNorm<Eigen::Infinity>());
  return most;
}

void NelderMead::set_up(Problem& problem, const Eigen::VectorXd& around, double size) {
  const int p = static_cast<int>(around.size());
  corners_.resize(0, 0);
  status_.x = around;
  std::vector<Corner> corners{corner(problem, around)};
  for (int i = 0; i < p; ++i) {
    Eigen::VectorXd to = around;
    const double step = size * sizes_[i];
    // Away from a bound that is near.
    to[i] += step <= problem.bounds().reach_up(i, around[i]) ? step : -step;
    corners.push_back(corner(problem, to));
  }
  corners_.resize(p, p + 1);
  values_.resize(p + 1);
  misses_.resize(p + 1);
  for (int k = 0; k <= p; ++k) put(k, corners[k]);
  sort();
}

void NelderMead::start(Problem& problem, const Eigen::VectorXd& x) {
  status_ = Status();
  status_.action = "start";
  status_.x = x;
  sizes_ = parameter_sizes(problem, x);
  restarts_ = 0;
  corners_.resize(0, 0);
  if (!std::isfinite(problem.value(x))) {
    status_.value = std::numeric_limits<double>::infinity();
    status_.reason = StopReason::failed;
    return;
  }
  if (settings_.simplex.size() > 0) {
    std::vector<Corner> corners;
    for (int k = 0; k < settings_.simplex.cols(); ++k) corners.push_back(corner(problem, settings_.simplex.col(k)));
    corners_ = settings_.simplex;
    values_.resize(corners_.cols());
    misses_.resize(corners_.cols());
    for (int k = 0; k < corners_.cols(); ++k) put(k, corners[k]);
    sort();
  } else {
    set_up(problem, x, settings_.size);
  }
  value_at_restart_ = std::numeric_limits<double>::max();
}

void NelderMead::iterate(Problem& problem) {
  const int p = static_cast<int>(corners_.rows());
  const double n = std::max(2, p);
  const double expansion = 1 + 2 / n, contraction = 0.75 - 1 / (2 * n), shrinkage = 1 - 1 / n;
  const Eigen::VectorXd centre = corners_.leftCols(p).rowwise().mean(), worst = corners_.col(p);
  const auto along = [&](double t) { return corner(problem, centre + t * (centre - worst)); };
  const auto beats = [&](const Corner& c, int k) { return better(c.value, c.miss, values_[k], misses_[k]); };
  const double before = extent();
  Corner reflected = along(1);
  if (beats(reflected, 0)) {
    const Corner expanded = along(expansion);
    const bool further = better(expanded.value, expanded.miss, reflected.value, reflected.miss);
    put(p, further ? expanded : reflected);
    status_.action = further ? "mirrored, and further" : "mirrored";
  } else if (beats(reflected, p - 1)) {
    put(p, reflected);
    status_.action = "mirrored";
  } else {
    const bool outside = beats(reflected, p);
    const Corner contracted = along(outside ? contraction : -contraction);
    const bool good = outside ? !better(reflected.value, reflected.miss, contracted.value, contracted.miss) : beats(contracted, p);
    if (good) {
      put(p, contracted);
      status_.action = outside ? "short of the mirror image" : "back inside";
    } else {
      for (int k = 1; k <= p; ++k) put(k, corner(problem, corners_.col(0) + shrinkage * (corners_.col(k) - corners_.col(0))));
      status_.action = "all drawn to the best";
    }
  }
  sort();
  status_.step_norm = before;
  const bool level = values_[p] - values_[0] <= 1e-15 * std::fabs(values_[0]);
  if (extent() > settings_.tolerance && !(level && extent() < 1e-6)) return;
  // Collapsed: at an optimum, or short of it. A new simplex around the best corner tells.
  const bool worth = value_at_restart_ - values_[0] > kWorth * std::fabs(values_[0]);
  if (restarts_ > 0 && (!worth || restarts_ >= kMostRestarts)) {
    status_.reason = level ? StopReason::value : StopReason::step;
    if (misses_[0] > 0) status_.reason = StopReason::infeasible;
    return;
  }
  value_at_restart_ = values_[0];
  ++restarts_;
  set_up(problem, corners_.col(0), std::max(1e-3, settings_.size * std::pow(0.3, restarts_)));
  status_.action = "restart around the best corner";
}

void NelderMead::visit(StateVisitor& v) {
  visit_status(v, status_);
  const Eigen::Index p = status_.x.size();
  v.finite("corners", corners_, p, p + 1);
  v.within("values", values_, p + 1, v.least_value(), kInfinity);
  v.within("misses", misses_, p + 1, 0, kInfinity);
  v.within("sizes", sizes_, p, 0, kInfinity);
  v.field("value_at_restart", value_at_restart_);
  v.small("restarts", restarts_);
}

}  // namespace tundrel
