#include "nearest_point.h"

#include <algorithm>
#include <cmath>

#include "quadratic_program.h"

namespace tundrel {
namespace {

constexpr int kMostRounds = 100;
// A condition holds if a step of this share of the sizes would make it hold.
constexpr double kHolds = 1e-9;
// Moves are shortened to this share of their length; those to the nearest point only while they lead somewhere.
constexpr double kShortest = 1e-6, kLeastShare = 0.2;

// Lengths of the slopes of conditions, by the sizes of the parameters, typical or here.
Eigen::VectorXd slope_lengths(const JointConditions& conditions, const Bounds& bounds, const Eigen::VectorXd& x) {
  const Eigen::MatrixXd slopes = bounds.typical.cwiseMax(x.cwiseAbs()).asDiagonal() * conditions.gradients(x);
  return slopes.colwise().norm().transpose().cwiseMax(1e-300);
}

// By how much conditions are missed, in typical sizes of the parameters.
double missed_by(const JointConditions& conditions, const Eigen::VectorXd& lengths, const Eigen::VectorXd& x) {
  const Eigen::VectorXd g = conditions.values(x);
  double worst = 0;
  for (int i = 0; i < conditions.count(); ++i) {
    if (!std::isfinite(g[i])) return INFINITY;
    const double miss = i < conditions.n_equalities() ? std::fabs(g[i]) : std::max(0.0, -g[i]);
    if (miss > 0) worst = std::max(worst, miss / lengths[i]);
  }
  return worst;
}

// The point nearest to `from` on the tangents at `x`.
QuadraticSolution projected(const JointConditions& conditions, const Bounds& bounds, const Eigen::VectorXd& from,
                            const Eigen::VectorXd& x) {
  const Eigen::Index p = x.size();
  const Eigen::VectorXd g = conditions.values(x);
  const Eigen::MatrixXd slopes = conditions.gradients(x);
  std::vector<Eigen::VectorXd> normals;
  std::vector<double> offsets;
  for (int i = 0; i < conditions.count(); ++i) {
    normals.push_back(bounds.typical.cwiseProduct(slopes.col(i)));
    offsets.push_back(slopes.col(i).dot(x - from) - g[i]);
  }
  for (Eigen::Index j = 0; j < p; ++j) {
    // Open limits are kept away from, as far as the start was.
    if (std::isfinite(bounds.lower[j])) {
      normals.push_back(Eigen::VectorXd::Unit(p, j));
      offsets.push_back(bounds.reach_down(static_cast<int>(j), from[j]) / bounds.typical[j]);
    }
    if (std::isfinite(bounds.upper[j])) {
      normals.push_back(-Eigen::VectorXd::Unit(p, j));
      offsets.push_back(-bounds.reach_up(static_cast<int>(j), from[j]) / bounds.typical[j]);
    }
  }
  QuadraticProgram program;
  program.curvature = Eigen::MatrixXd::Identity(p, p);
  program.slope = Eigen::VectorXd::Zero(p);
  program.normals.resize(p, static_cast<Eigen::Index>(normals.size()));
  program.offsets.resize(static_cast<Eigen::Index>(normals.size()));
  for (std::size_t k = 0; k < normals.size(); ++k) {
    program.normals.col(static_cast<Eigen::Index>(k)) = normals[k];
    program.offsets[static_cast<Eigen::Index>(k)] = offsets[k];
  }
  program.n_equalities = conditions.n_equalities();
  return solve(program);
}

}  // namespace

bool nearest_inside(const JointConditions& conditions, const Bounds& bounds, Eigen::VectorXd& x) {
  const Eigen::VectorXd from = x;
  const auto distance = [&](const Eigen::VectorXd& to) { return (to - from).cwiseQuotient(bounds.typical).norm(); };
  // One move to the point nearest to `base` on the tangents at x. They may mislead: shorter and shorter, until less is
  // missed or, where nothing is, until the point is nearer.
  const auto move = [&](const Eigen::VectorXd& base, double least_share, const Bounds& sizes) {
    const Eigen::VectorXd lengths = slope_lengths(conditions, sizes, x);
    const double miss = missed_by(conditions, lengths, x);
    const QuadraticSolution step = projected(conditions, sizes, base, x);
    if (!step.feasible || !step.x.allFinite()) return false;
    const Eigen::VectorXd target = base + sizes.typical.cwiseProduct(step.x);
    for (double share = 1; share > least_share; share /= 2) {
      const Eigen::VectorXd to = x + share * (target - x);
      const double then = missed_by(conditions, lengths, to);
      if (!(miss > kHolds ? then < miss : then <= 0.5 * kHolds && distance(to) < (1 - 1e-9) * distance(x))) continue;
      x = to;
      return true;
    }
    return false;
  };
  const auto missing = [&] { return missed_by(conditions, slope_lengths(conditions, bounds, x), x) > kHolds; };
  for (int round = 0; round < kMostRounds && (missing() || distance(x) > 0); ++round)
    if (!move(from, missing() ? kLeastShare : kShortest, bounds)) break;
  // Where the nearest point cannot be had, one that is missing nothing will do; from there, nearer.
  Bounds sizes = bounds;
  for (int round = 0; round < kMostRounds && missing(); ++round) {
    // by the sizes they have here: typical ones may lead past the conditions
    sizes.typical = (1e-3 * bounds.typical).cwiseMax(x.cwiseAbs());
    if (!move(Eigen::VectorXd(x), kShortest, sizes)) return false;
  }
  for (int round = 0; round < kMostRounds && distance(x) > 0; ++round)
    if (!move(from, kShortest, bounds)) break;
  return !missing();
}

}  // namespace tundrel
