#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "../step/arrow_columns.h"
#include "../step/arrow_step.h"
#include "../step/optimality.h"
#include "verification.h"

namespace tundrel {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Curvature relative to that of a parameter that is more than rounding.
constexpr double kArrowFalls = 1e-7;

// FALSE at a saddle or a maximum. The whole curvature has the shape of the Jacobian: the value does not curve down where it does so in
// no group's own parameters, nor in the shared ones when each group's own follow them.
bool curves_up(Arrow& arrow, const std::vector<Linearisation>& at, const ArrowColumns& columns, const VectorXd& x) {
  const Grouping& grouping = arrow.grouping();
  const auto s = static_cast<Index>(grouping.shared.size());
  const VectorXd units = columns.norms.cwiseMax(std::numeric_limits<double>::min());
  MatrixXd left = MatrixXd::Zero(s, s), whole;
  for (int k = 0; k < grouping.count(); ++k) {
    const Linearisation& one = at[static_cast<std::size_t>(k)];
    if (!arrow.curvature_of_group(x, k, whole)) return true;
    whole += one.factor.transpose() * one.factor;
    std::vector<int> own, shared, rank;
    for (int i = 0; i < whole.rows(); ++i) {
      const int place = grouping.place(i, k);
      (grouping.is_shared(i, k) ? shared : own).push_back(i);
      if (grouping.is_shared(i, k)) rank.push_back(grouping.shared_rank[static_cast<std::size_t>(place)]);
    }
    const auto part = [&](const std::vector<int>& rows, const std::vector<int>& cols) {
      MatrixXd out(static_cast<Index>(rows.size()), static_cast<Index>(cols.size()));
      for (std::size_t i = 0; i < rows.size(); ++i)
        for (std::size_t j = 0; j < cols.size(); ++j) {
          const auto a = static_cast<std::size_t>(grouping.place(rows[i], k)), b = static_cast<std::size_t>(grouping.place(cols[j], k));
          out(static_cast<Index>(i), static_cast<Index>(j)) = columns.held[a] || columns.held[b] ? 0 : whole(rows[i], cols[j]) / (units[static_cast<Index>(a)] * units[static_cast<Index>(b)]);
        }
      return out;
    };
    MatrixXd rest = part(shared, shared);
    if (!own.empty()) {
      const SymmetricSpectrum spectrum = symmetric_spectrum(part(own, own));
      if (spectrum.values[0] < -kArrowFalls) return false;
      const MatrixXd cross = spectrum.vectors.transpose() * part(own, shared);
      for (Index j = 0; j < spectrum.values.size(); ++j)
        if (spectrum.values[j] > kArrowFalls) rest -= cross.row(j).transpose() * cross.row(j) / spectrum.values[j];
    }
    for (std::size_t i = 0; i < rank.size(); ++i)
      for (std::size_t j = 0; j < rank.size(); ++j) left(rank[i], rank[j]) += rest(static_cast<Index>(i), static_cast<Index>(j));
  }
  return s == 0 || symmetric_spectrum(left).values[0] >= -kArrowFalls;
}

}  // namespace

// A parameter of one group's own that has no effect does not keep the others from having converged: it is named.
Verification verify_arrow(Problem& problem, const VectorXd& x) {
  Verification result;
  Arrow& arrow = *problem.arrow();
  const Grouping& grouping = arrow.grouping();
  std::vector<Linearisation> at;
  if (!arrow.linearise_groups(x, at)) return result;
  const ArrowColumns columns(problem, grouping, at, x);
  const Bounds& bounds = problem.bounds();
  result.usable = true;
  result.value = columns.value;
  result.slope = columns.slope;
  result.bound_multipliers = bound_multipliers(bounds, x, columns.slope);
  const double scale = residual_scale(problem, x, columns.norms), residual = std::max(std::sqrt(columns.value), kExactShare * scale);
  std::vector<int> alive;
  bool shared_felt = true;
  for (int i = 0; i < x.size(); ++i) {
    if (columns.held[static_cast<std::size_t>(i)]) continue;
    const double size = std::max(std::fabs(x[i]), bounds.typical[i]);
    if (columns.norms[i] * size > least_felt(problem, residual, scale)) {
      alive.push_back(i);
      continue;
    }
    result.dead.push_back(i);
    shared_felt = shared_felt && grouping.shared_rank[static_cast<std::size_t>(i)] < 0;
  }
  const ArrowStep undamped(grouping, at, columns.norms, columns.held, 0, problem.work.threads);
  result.errors = undamped.errors();
  result.gradient_norm = undamped.reducible() / residual;
  int open = undamped.open_shared();
  for (int k = 0; k < grouping.count(); ++k) open += undamped.open_of_group(k);
  result.n_alive = static_cast<int>(alive.size());
  result.rank = result.n_alive - std::max(0, open - static_cast<int>(result.dead.size()));
  VectorXd step = undamped.step();
  for (int i = 0; i < x.size(); ++i) step[i] = std::max(bounds.reach_down(i, x[i]), std::min(bounds.reach_up(i, x[i]), step[i]));
  const bool settled = all_settled(problem, x, alive, step, result.runaway);
  result.converged = settled && shared_felt && undamped.open_shared() == 0 && result.gradient_norm <= kOptimalGradient && curves_up(arrow, at, columns, x);
  if (!result.converged) result.reason = result.runaway.empty() ? StopReason::stalled : StopReason::diverged;
  return result;
}

}  // namespace tundrel
