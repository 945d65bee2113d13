#include "quadratic_model.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"

namespace tundrel {
namespace {

// Of the system for the coefficients, singular values below this share of the largest are none.
constexpr double kRank = 1e-11;
constexpr int kSweeps = 200, kBeginnings = 4;

// By coordinates in turn, each to its best between the limits: exact for a step of few coordinates, and nowhere uphill.
double sweep(const QuadraticModel& model, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper, Eigen::VectorXd& step) {
  const Eigen::Index p = step.size();
  Eigen::VectorXd slope = model.gradient + model.hessian * step;
  for (int round = 0; round < kSweeps; ++round) {
    double moved = 0;
    // along the slope first, which coordinates in turn follow slowly
    Eigen::VectorXd down = -slope;
    for (Eigen::Index i = 0; i < p; ++i)
      if ((down[i] < 0 && step[i] <= lower[i]) || (down[i] > 0 && step[i] >= upper[i])) down[i] = 0;
    const double bend = down.dot(model.hessian * down);
    double length = bend > 0 ? down.squaredNorm() / bend : std::numeric_limits<double>::infinity();
    for (Eigen::Index i = 0; i < p; ++i)
      if (down[i] != 0) length = std::min(length, ((down[i] > 0 ? upper[i] : lower[i]) - step[i]) / down[i]);
    if (std::isfinite(length) && length > 0) {
      step = (step + length * down).cwiseMax(lower).cwiseMin(upper);
      moved = length * down.cwiseAbs().maxCoeff();
      slope = model.gradient + model.hessian * step;
    }
    // and by Newton's step in those that no limit holds
    std::vector<int> free;
    for (Eigen::Index i = 0; i < p; ++i)
      if (step[i] > lower[i] && step[i] < upper[i]) free.push_back(static_cast<int>(i));
    const Eigen::Index n = static_cast<Eigen::Index>(free.size());
    if (n > 0) {
      Eigen::MatrixXd inner(n, n);
      Eigen::VectorXd rest(n);
      for (Eigen::Index a = 0; a < n; ++a) {
        rest[a] = -slope[free[a]];
        for (Eigen::Index b = 0; b < n; ++b) inner(a, b) = model.hessian(free[a], free[b]);
      }
      const Cholesky factor(inner);
      if (factor.definite()) {
        const Eigen::VectorXd wanted = factor.solve(rest);
        double share = 1;
        for (Eigen::Index a = 0; a < n; ++a) {
          const double room = wanted[a] > 0 ? upper[free[a]] - step[free[a]] : lower[free[a]] - step[free[a]];
          if (wanted[a] != 0 && room / wanted[a] < share) share = std::max(0.0, room / wanted[a]);
        }
        for (Eigen::Index a = 0; a < n; ++a) step[free[a]] = std::clamp(step[free[a]] + share * wanted[a], lower[free[a]], upper[free[a]]);
        moved = std::max(moved, share * wanted.cwiseAbs().maxCoeff());
        slope = model.gradient + model.hessian * step;
        if (share == 1 && moved < 1e-12) break;
      }
    }
    for (Eigen::Index i = 0; i < p; ++i) {
      const double bend_here = model.hessian(i, i);
      const double wanted = bend_here > 0 ? step[i] - slope[i] / bend_here : slope[i] < 0 ? upper[i] : lower[i];
      const double to = std::clamp(wanted, lower[i], upper[i]);
      if (to == step[i] || (bend_here <= 0 && slope[i] == 0)) continue;
      slope += (to - step[i]) * model.hessian.col(i);
      moved = std::max(moved, std::fabs(to - step[i]));
      step[i] = to;
    }
    if (moved < 1e-10 * (upper - lower).maxCoeff()) break;
  }
  return model.at(step);
}

}  // namespace

bool fit_quadratic(const Eigen::MatrixXd& steps, const Eigen::VectorXd& values, const Eigen::MatrixXd& before, QuadraticModel& model) {
  const Eigen::Index p = steps.rows(), n = steps.cols(), full = (p + 1) * (p + 2) / 2;
  const double reach = std::max(std::numeric_limits<double>::min(), steps.colwise().norm().maxCoeff());
  const Eigen::MatrixXd unit = steps / reach;
  // what is left to explain beside the second derivatives from before
  Eigen::VectorXd left = values;
  for (Eigen::Index k = 0; k < n; ++k) left[k] -= 0.5 * steps.col(k).dot(before * steps.col(k));
  Eigen::MatrixXd linear(n, p + 1);
  linear.col(0).setOnes();
  linear.rightCols(p) = unit.transpose();
  Eigen::MatrixXd change = Eigen::MatrixXd::Zero(p, p);
  Eigen::VectorXd straight;
  if (n >= full) {
    Eigen::MatrixXd all(n, full);
    all.leftCols(p + 1) = linear;
    for (Eigen::Index i = 0, c = p + 1; i < p; ++i)
      for (Eigen::Index j = 0; j <= i; ++j, ++c) all.col(c) = (i == j ? 0.5 : 1) * (unit.row(i).array() * unit.row(j).array()).transpose();
    const Eigen::VectorXd found = shortest_solution(all, left, kRank);
    straight = found.head(p + 1);
    for (Eigen::Index i = 0, c = p + 1; i < p; ++i)
      for (Eigen::Index j = 0; j <= i; ++j, ++c) change(i, j) = change(j, i) = found[c];
  } else {
    if (n < p + 1) return false;
    Eigen::MatrixXd system = Eigen::MatrixXd::Zero(n + p + 1, n + p + 1);
    system.topLeftCorner(n, n) = 0.5 * (unit.transpose() * unit).array().square();
    system.topRightCorner(n, p + 1) = linear;
    system.bottomLeftCorner(p + 1, n) = linear.transpose();
    Eigen::VectorXd right = Eigen::VectorXd::Zero(n + p + 1);
    right.head(n) = left;
    const Eigen::VectorXd found = shortest_solution(system, right, kRank);
    straight = found.tail(p + 1);
    for (Eigen::Index k = 0; k < n; ++k) change += found[k] * unit.col(k) * unit.col(k).transpose();
  }
  if (!straight.allFinite() || !change.allFinite()) return false;
  model.value = straight[0];
  model.gradient = straight.tail(p) / reach;
  model.hessian = before + change / (reach * reach);
  return true;
}

Eigen::VectorXd lowest_within(const QuadraticModel& model, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper) {
  const Eigen::Index p = lower.size();
  Eigen::VectorXd best;
  double lowest = std::numeric_limits<double>::infinity();
  for (int k = 0; k < kBeginnings; ++k) {
    Eigen::VectorXd step = Eigen::VectorXd::Zero(p);
    if (k > 0)
      for (Eigen::Index i = 0; i < p; ++i) {
        const bool up = k == 1 ? model.gradient[i] < 0 : (i + k) % 2 == 0;
        step[i] = up ? upper[i] : lower[i];
      }
    step = step.cwiseMax(lower).cwiseMin(upper);
    const double value = sweep(model, lower, upper, step);
    if (!(value < lowest)) continue;
    lowest = value;
    best = step;
  }
  return best;
}

}  // namespace tundrel
