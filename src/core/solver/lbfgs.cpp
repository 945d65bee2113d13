#include "lbfgs.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "line_search.h"
#include "solver_table.h"

namespace tundrel {
namespace {

const RegisteredSolver lbfgs_entry{{
    "lbfgs", false, "first", kWithoutKinks, Honours::none,
    {number_setting("memory", 10, 1, true)},
    "many parameters", "badly scaled or narrow valleys",
    [](const SolverSettings& s) { return std::make_unique<Lbfgs>(Lbfgs::Settings{s.number("tolerance"), s.whole("memory")}); }}};

constexpr double kLbfgsFlatness = 0.9;
// The first step, in sizes of the parameters.
constexpr double kLbfgsFirstStep = 0.1;
// A step whose curvature is below this share of its length times change is not worth remembering.
constexpr double kLbfgsLeastCurvature = 1e-10;

}  // namespace

void Lbfgs::start(Problem& problem, const Eigen::VectorXd& x) {
  steps_.resize(x.size(), 0);
  changes_.resize(x.size(), 0);
  begin(problem, x);
}

// The two loops of the paper, in the parameters that no bound holds.
Eigen::VectorXd Lbfgs::direction() const {
  Eigen::VectorXd q = free_gradient();
  Eigen::VectorXd free = Eigen::VectorXd::Zero(q.size());
  for (int i : unheld_) free[i] = 1;
  const int m = static_cast<int>(steps_.cols());
  if (m == 0) return -kLbfgsFirstStep * q.cwiseProduct(sizes_) / q.norm();
  std::vector<double> alpha(m, 0), curvature(m, 0);
  double scale = 0;
  for (int k = m - 1; k >= 0; --k) {
    const Eigen::VectorXd s = steps_.col(k).cwiseProduct(free), y = changes_.col(k).cwiseProduct(free);
    curvature[k] = s.dot(y);
    if (!(curvature[k] > kLbfgsLeastCurvature * s.norm() * y.norm())) continue;
    alpha[k] = s.dot(q) / curvature[k];
    q -= alpha[k] * y;
    if (scale == 0) scale = curvature[k] / y.squaredNorm();
  }
  if (scale == 0) return -kLbfgsFirstStep * q.cwiseProduct(sizes_) / q.norm();
  q *= scale;
  for (int k = 0; k < m; ++k) {
    const Eigen::VectorXd s = steps_.col(k).cwiseProduct(free), y = changes_.col(k).cwiseProduct(free);
    if (!(curvature[k] > kLbfgsLeastCurvature * s.norm() * y.norm())) continue;
    q += (alpha[k] - y.dot(q) / curvature[k]) * s;
  }
  return -q.cwiseProduct(sizes_);
}

void Lbfgs::remember(const Eigen::VectorXd& step, const Eigen::VectorXd& change) {
  if (!(step.dot(change) > kLbfgsLeastCurvature * step.norm() * change.norm())) return;
  const int kept = std::min(static_cast<int>(steps_.cols()), memory_ - 1);
  for (Eigen::MatrixXd* list : {&steps_, &changes_}) {
    Eigen::MatrixXd next(list->rows(), kept + 1);
    next.leftCols(kept) = list->rightCols(kept);
    next.col(kept) = list == &steps_ ? step : change;
    *list = next;
  }
}

void Lbfgs::iterate(Problem& problem) {
  const Eigen::VectorXd along = direction();
  const double most = problem.bounds().reach_along(status_.x, along);
  const LineResult line = search_line(problem, status_.x, at_, along, std::min(1.0, most), most, kLbfgsFlatness);
  if (!line.found) {
    if (steps_.cols() == 0) {
      status_.action = "no lower point along the slope";
      status_.reason = StopReason::step;
      return;
    }
    steps_.resize(status_.x.size(), 0);
    changes_.resize(status_.x.size(), 0);
    status_.action = "curvature forgotten";
    return;
  }
  const bool at_bound = line.length >= most;
  remember((line.x - status_.x).cwiseQuotient(sizes_), (line.at.gradient - at_.gradient).cwiseProduct(sizes_));
  take(problem, line.x, line.at, at_bound ? "step to a bound" : line.length == 1 ? "full step" : line.length < 1 ? "shorter step" : "longer step");
}

void Lbfgs::visit(StateVisitor& v) {
  visit_descent(v);
  v.finite("steps", steps_, status_.x.size(), StateVisitor::kAny);
  v.finite("changes", changes_, status_.x.size(), steps_.cols());
}

}  // namespace tundrel
