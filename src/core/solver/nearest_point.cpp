#include "nearest_point.h"

#include <algorithm>
#include <cmath>

#include "quadratic_program.h"

namespace tundrel {
namespace {

constexpr int kMostRounds = 100;
// A condition holds if a step of this share of the typical sizes would make it hold.
constexpr double kHolds = 1e-9;

// By how much conditions are missed, in typical sizes of the parameters.
double missed_by(const JointConditions& conditions, const Bounds& bounds, const Eigen::VectorXd& x) {
  const Eigen::VectorXd g = conditions.values(x);
  const Eigen::MatrixXd slopes = bounds.typical.asDiagonal() * conditions.gradients(x);
  double worst = 0;
  for (int i = 0; i < conditions.count(); ++i) {
    if (!std::isfinite(g[i])) return INFINITY;
    const double miss = i < conditions.n_equalities() ? std::fabs(g[i]) : std::max(0.0, -g[i]);
    if (miss > 0) worst = std::max(worst, miss / std::max(slopes.col(i).norm(), 1e-300));
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
  double miss = missed_by(conditions, bounds, x);
  for (int round = 0; round < kMostRounds && (miss > kHolds || distance(x) > 0); ++round) {
    const QuadraticSolution step = projected(conditions, bounds, from, x);
    if (!step.feasible || !step.x.allFinite()) break;
    const Eigen::VectorXd target = from + bounds.typical.cwiseProduct(step.x);
    // Tangents may mislead: shorter and shorter, until less is missed or, where nothing is, until the
    // point is nearer.
    bool moved = false;
    for (double share = 1; share > 1e-6 && !moved; share /= 2) {
      const Eigen::VectorXd to = x + share * (target - x);
      const double then = missed_by(conditions, bounds, to);
      moved = miss > kHolds ? then < miss : then <= kHolds && distance(to) < (1 - 1e-9) * distance(x);
      if (!moved) continue;
      x = to;
      miss = then;
    }
    if (!moved) break;
  }
  return miss <= kHolds;
}

}  // namespace tundrel
