#include "arrow_step.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "../threads.h"

namespace tundrel {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// A column whose part at right angles to the others is below this share of it is not determined.
constexpr double kDetermined = 1e-12;
// A parameter takes part in an open direction if its share there is above this.
constexpr double kTakesPart = 1e-6;

MatrixXd some_rows(const MatrixXd& matrix, const std::vector<int>& which) {
  MatrixXd out(static_cast<Index>(which.size()), matrix.cols());
  for (std::size_t j = 0; j < which.size(); ++j) out.row(static_cast<Index>(j)) = matrix.row(which[j]);
  return out;
}

}  // namespace

ArrowStep::ArrowStep(const Grouping& grouping, const std::vector<Linearisation>& at, const VectorXd& scale, const std::vector<char>& held,
                     double damping, int threads)
    : grouping_(grouping), scale_(scale), held_(held), groups_(at.size()), step_(VectorXd::Zero(scale.size())) {
  share_out(grouping.count(), threads, [&](int, int k) { groups_[static_cast<std::size_t>(k)] = eliminate(at[static_cast<std::size_t>(k)], k, damping); });
  const VectorXd shared = shared_step(damping);
  for (std::size_t j = 0; j < grouping.shared.size(); ++j) step_[grouping.shared[j]] = shared[static_cast<Index>(j)];
  for (const Eliminated& e : groups_) {
    const VectorXd own = -upper_solution(e.own, e.right + e.cross * some_rows(shared, e.shared));
    for (std::size_t j = 0; j < e.rank(); ++j) step_[e.order[j]] = own[static_cast<Index>(j)];
  }
  for (Index i = 0; i < step_.size(); ++i)
    if (held[static_cast<std::size_t>(i)]) step_[i] = 0;
}

double ArrowStep::unit(int place) const {
  return held_[static_cast<std::size_t>(place)] ? 1 : std::max(scale_[place], std::numeric_limits<double>::min());
}

ArrowStep::Eliminated ArrowStep::eliminate(const Linearisation& at, int k, double damping) const {
  Eliminated e;
  const Index q = grouping_.place.rows();
  std::vector<int> own, shared;
  for (Index i = 0; i < q; ++i) {
    const int place = grouping_.place(i, k);
    (grouping_.is_shared(static_cast<int>(i), k) ? shared : own).push_back(static_cast<int>(i));
    if (grouping_.is_shared(static_cast<int>(i), k)) e.shared.push_back(grouping_.shared_rank[static_cast<std::size_t>(place)]);
  }
  const auto n_own = static_cast<Index>(own.size()), s = static_cast<Index>(shared.size());
  MatrixXd rows = MatrixXd::Zero(std::max(q + n_own, q + 1), q + 1);
  VectorXd units(n_own);
  for (Index j = 0; j < n_own; ++j) {
    const int i = own[static_cast<std::size_t>(j)], place = grouping_.place(i, k);
    const bool held = held_[static_cast<std::size_t>(place)];
    if (!held) rows.col(j).head(q) = at.factor.col(i);
    rows(q + j, j) = held ? 1 : std::sqrt(damping) * scale_[place];
    units[j] = unit(place);
  }
  for (Index j = 0; j < s; ++j) {
    const int i = shared[static_cast<std::size_t>(j)];
    if (!held_[static_cast<std::size_t>(grouping_.place(i, k))]) rows.col(n_own + j).head(q) = at.factor.col(i);
  }
  rows.col(q).head(q) = at.projected;
  MatrixXd others = rows.rightCols(s + 1);
  const auto [rank, order, r] = pivoted(rows.leftCols(n_own) * units.cwiseInverse().asDiagonal(), kDetermined, &others);
  VectorXd ordered(n_own);
  for (Index j = 0; j < n_own; ++j) {
    const int which = order[static_cast<std::size_t>(j)];
    e.order.push_back(grouping_.place(own[static_cast<std::size_t>(which)], k));
    ordered[j] = units[which];
  }
  e.own = r.topLeftCorner(rank, rank) * ordered.head(rank).asDiagonal();
  e.cross = others.topLeftCorner(rank, s);
  e.right = others.topRightCorner(rank, 1);
  MatrixXd left = MatrixXd::Zero(std::max<Index>(others.rows() - rank, s + 1), s + 1);
  left.topRows(others.rows() - rank) = others.bottomRows(others.rows() - rank);
  e.rest = qr_triangle(left, s + 1);
  e.open.assign(own.size(), 0);
  if (rank < n_own) {
    const MatrixXd moved = upper_solution(r.topLeftCorner(rank, rank), r.block(0, rank, rank, n_own - rank));
    for (Index j = 0; j < n_own; ++j) e.open[static_cast<std::size_t>(j)] = j >= rank || moved.row(j).norm() > kTakesPart;
  }
  return e;
}

VectorXd ArrowStep::shared_step(double damping) {
  const auto s = static_cast<Index>(grouping_.shared.size());
  MatrixXd triangle = MatrixXd::Zero(s + 1, s + 1);
  for (Index j = 0; j < s; ++j) {
    const int place = grouping_.shared[static_cast<std::size_t>(j)];
    triangle(j, j) = held_[static_cast<std::size_t>(place)] ? 1 : std::sqrt(damping) * scale_[place];
  }
  for (const Eliminated& e : groups_) {
    const auto n = static_cast<Index>(e.shared.size());
    MatrixXd stack = MatrixXd::Zero(s + n + 2, s + 1);
    stack.topRows(s + 1) = triangle;
    for (Index j = 0; j < n; ++j) stack.col(e.shared[static_cast<std::size_t>(j)]).tail(n + 1) = e.rest.col(j);
    stack.col(s).tail(n + 1) = e.rest.col(n);
    triangle = qr_triangle(stack, s + 1);
    reducible_ = std::hypot(reducible_, e.right.norm());
  }
  shared_factor_ = triangle.topLeftCorner(s, s);
  VectorXd right = triangle.topRightCorner(s, 1);
  for (Index j = 0; j < s; ++j) {
    if (std::fabs(shared_factor_(j, j)) > kDetermined * unit(grouping_.shared[static_cast<std::size_t>(j)])) continue;
    shared_factor_.row(j).setZero();
    shared_factor_(j, j) = 1;
    right[j] = 0;
    ++open_shared_;
  }
  reducible_ = std::hypot(reducible_, right.norm());
  return -upper_solution(shared_factor_, right);
}

VectorXd ArrowStep::errors() const {
  const double none = std::numeric_limits<double>::quiet_NaN(), open = std::numeric_limits<double>::infinity();
  const auto s = static_cast<Index>(grouping_.shared.size());
  const bool determined = open_shared_ == 0;
  const MatrixXd root = upper_solution(shared_factor_, MatrixXd::Identity(s, s));
  VectorXd out(scale_.size());
  const auto set = [&](int place, bool is_open, double error) { out[place] = held_[static_cast<std::size_t>(place)] ? none : is_open || !determined ? open : error; };
  for (Index j = 0; j < s; ++j) set(grouping_.shared[static_cast<std::size_t>(j)], false, root.row(j).norm());
  for (const Eliminated& e : groups_) {
    const auto rank = static_cast<Index>(e.rank());
    MatrixXd both(rank, rank + s);
    both << MatrixXd::Identity(rank, rank), e.cross * some_rows(root, e.shared);
    const MatrixXd half = upper_solution(e.own, both);
    for (std::size_t j = 0; j < e.order.size(); ++j) set(e.order[j], e.open[j], j < e.rank() ? half.row(static_cast<Index>(j)).norm() : open);
  }
  return out;
}

}  // namespace tundrel
