#include "bfgs.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "line_search.h"
#include "../step/quadratic_step.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver bfgs_entry{{
    "bfgs", false, "first", kWithoutKinks, Honours::none,
    {},
    "smooth criteria without second derivatives", "narrow valleys from far away",
    [](const SolverSettings& s) { return std::make_unique<Bfgs>(Bfgs::Settings{s.number("tolerance")}); }}};

// The slope has to flatten to this share along a step.
constexpr double kBfgsFlatness = 0.9;
// Curvature below this share of what is known of it is mixed with that (Powell).
constexpr double kDamping = 0.2;
// The first step, in sizes of the parameters.
constexpr double kBfgsFirstStep = 0.1;

}  // namespace

void Bfgs::start(Problem& problem, const Eigen::VectorXd& x) {
  learned_ = false;
  if (!begin(problem, x)) return;
  // Until something is learned, a step along the slope of a modest length.
  const Eigen::VectorXd slope = free_gradient();
  const double length = std::max(slope.norm(), std::numeric_limits<double>::min());
  curvature_ = (length / kBfgsFirstStep) * sizes_.cwiseAbs2().cwiseInverse().asDiagonal().toDenseMatrix();
}

void Bfgs::learn(const Eigen::VectorXd& step, const Eigen::VectorXd& change) {
  const double seen = step.dot(change);
  if (!learned_ && seen > 0) {
    // The first curvature seen sets the scale of all (Nocedal and Wright, 2006, section 6.1).
    const Eigen::VectorXd scaled_change = change.cwiseProduct(sizes_);
    curvature_ = (scaled_change.squaredNorm() / seen) * sizes_.cwiseAbs2().cwiseInverse().asDiagonal().toDenseMatrix();
    learned_ = true;
  }
  const Eigen::VectorXd expected = curvature_ * step;
  const double known = step.dot(expected);
  if (!(known > 0)) return;
  const double mix = seen >= kDamping * known ? 1 : (1 - kDamping) * known / (known - seen);
  const Eigen::VectorXd y = mix * change + (1 - mix) * expected;
  curvature_ += y * y.transpose() / step.dot(y) - expected * expected.transpose() / known;
}

void Bfgs::iterate(Problem& problem) {
  const Expansion model{true, at_.value, at_.gradient, curvature_, {}, {}};
  const Eigen::VectorXd step =
      bounded_quadratic_step(problem, status_.x, model, unheld_, sizes_, std::numeric_limits<double>::infinity());
  const double most = problem.bounds().reach_along(status_.x, step);
  const LineResult line = search_line(problem, status_.x, at_, step, 1, std::max(1.0, most), kBfgsFlatness);
  if (!line.found) {
    // What was learned misleads: forget it once, then there is nothing left to gain.
    if (!learned_) {
      status_.action = "no lower point along the slope";
      status_.reason = StopReason::step;
      return;
    }
    const Eigen::VectorXd x = status_.x;
    const Status kept = status_;
    start(problem, x);
    if (status_.reason == StopReason::none) status_ = kept;
    status_.action = "curvature forgotten";
    return;
  }
  const Eigen::VectorXd moved = line.x - status_.x, change = line.at.gradient - at_.gradient;
  learn(moved, change);
  take(problem, line.x, line.at, line.length == 1 ? "full step" : line.length < 1 ? "shorter step" : "longer step");
}

void Bfgs::visit(StateVisitor& v) {
  visit_descent(v);
  v.finite("curvature", curvature_, status_.x.size(), status_.x.size());
  v.flag("learned", learned_);
}

}  // namespace tundrel
