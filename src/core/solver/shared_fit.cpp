#include "shared_fit.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "../threads.h"
#include "../problem/squares.h"

namespace tundrel {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double kFirstDamping = 1e-3;
// A step is taken where the value falls by at least this share of what was predicted.
constexpr double kWorthwhile = 1e-4;
// A column whose part at right angles to the others is below this share of it is not determined.
constexpr double kDetermined = 1e-12;
// A parameter takes part in an undetermined direction if its share there is above this.
constexpr double kTakesPart = 1e-6;
// Curvature relative to that of a parameter that is more than rounding.
constexpr double kFalls = 1e-7;
constexpr int kClosingSteps = 8;
constexpr double kSettledShare = 1e-3;
constexpr double kRunawayRatio = 30;

// All groups at a point.
struct Point {
  MatrixXd x;
  std::vector<Linearisation> at;
  double value = std::numeric_limits<double>::infinity();
  bool usable = false;
};

// One group with its own parameters eliminated: own * d_own + cross * d_shared + right = 0 gives these, and `rest` is the
// group's information on the shared ones. Own parameters stand in the order in which they were eliminated; those beyond the rank are not determined.
struct Eliminated {
  MatrixXd own, cross, rest;
  VectorXd right;
  std::vector<int> order;
  std::vector<char> open;  // in that order: those that an undetermined direction moves

  Eigen::Index rank() const { return own.rows(); }
};

class ArrowFit {
 public:
  ArrowFit(Problem& problem, const std::vector<int>& shared, const MatrixXd& typical, const Columns& measured, const std::vector<long>& first)
      : shared_(shared), typical_(typical), measured_(measured), first_(first), groups_(static_cast<int>(first.size()) - 1) {
    for (int i = 0; i < problem.size(); ++i)
      if (std::find(shared.begin(), shared.end(), i) == shared.end()) own_.push_back(i);
    const int workers = std::max(1, std::min(problem.work.threads, groups_));
    for (int k = 0; k < workers; ++k) problems_.push_back(problem.clone());
    scale_ = MatrixXd::Zero(problem.size(), groups_);
    for (int k = 0; k < groups_; ++k) response_norm_ = std::hypot(response_norm_, on_group(0, k).squares()->response_norm());
  }

  Point look_at(const MatrixXd& x) {
    Point p;
    p.x = x;
    p.at.resize(groups_);
    share_out(groups_, static_cast<int>(problems_.size()), [&](int thread, int k) { p.at[k] = on_group(thread, k).squares()->linearise(x.col(k)); });
    p.usable = true;
    double sum = 0;
    for (const Linearisation& one : p.at) {
      p.usable = p.usable && one.usable;
      sum += one.value;
    }
    if (p.usable) p.value = sum;
    ++evaluations;
    return p;
  }

  // Column norms as running maxima: they make parameters of all sizes comparable. Then what a bound holds back here.
  void prepare(const Point& p) {
    VectorXd total = VectorXd::Zero(p.x.rows()), slope = VectorXd::Zero(p.x.rows());
    held_ = Eigen::Matrix<bool, Eigen::Dynamic, Eigen::Dynamic>::Constant(p.x.rows(), p.x.cols(), false);
    for (int k = 0; k < groups_; ++k) {
      const VectorXd gradient = p.at[k].factor.transpose() * p.at[k].projected;
      const Problem& problem = on_group(0, k);
      for (int i : own_) {
        scale_(i, k) = std::max(scale_(i, k), p.at[k].factor.col(i).norm());
        held_(i, k) = problem.bounds().holds(i, p.x(i, k), gradient[i]);
      }
      for (int i : shared_) {
        total[i] = std::hypot(total[i], p.at[k].factor.col(i).norm());
        slope[i] += gradient[i];
      }
    }
    const Problem& problem = on_group(0, 0);
    for (int i : shared_) {
      scale_.row(i).setConstant(std::max(scale_(i, 0), total[i]));
      held_.row(i).setConstant(problem.bounds().holds(i, p.x(i, 0), slope[i]));
    }
  }

  // The step for all groups. An undamped one also prepares offset() and errors().
  MatrixXd step(const Point& p, double damping) {
    const int s = static_cast<int>(shared_.size());
    eliminated_.resize(groups_);
    share_out(groups_, static_cast<int>(problems_.size()), [&](int, int k) { eliminated_[k] = eliminate(p, k, damping); });
    MatrixXd stack = MatrixXd::Zero(2 * (s + 1), s + 1);
    for (int j = 0; j < s; ++j) {
      const int i = shared_[j];
      stack(j, j) = held_(i, 0) ? 1 : std::sqrt(damping) * scale_(i, 0);
    }
    reducible_ = 0;
    for (int k = 0; k < groups_; ++k) {
      stack.bottomRows(s + 1) = eliminated_[k].rest;
      stack.topRows(s + 1) = qr_triangle(stack, s + 1);
      reducible_ = std::hypot(reducible_, eliminated_[k].right.norm());
    }
    shared_factor_ = stack.topLeftCorner(s, s);
    VectorXd right = stack.topRightCorner(s, 1);
    determined_ = make_solvable(shared_factor_, right, shared_columns());
    reducible_ = std::hypot(reducible_, right.norm());
    const VectorXd shared_step = -upper_solution(shared_factor_, right);
    MatrixXd out = MatrixXd::Zero(p.x.rows(), groups_);
    for (int k = 0; k < groups_; ++k) {
      const Eliminated& e = eliminated_[k];
      const VectorXd own_step = -upper_solution(e.own, e.right + e.cross * shared_step);
      for (Eigen::Index j = 0; j < e.rank(); ++j) out(own_[static_cast<std::size_t>(e.order[static_cast<std::size_t>(j)])], k) = own_step[j];
      for (int j = 0; j < s; ++j) out(shared_[j], k) = shared_step[j];
    }
    return kept_inside(p, out);
  }

  double predicted(const Point& p, const MatrixXd& step) const {
    double sum = 0;
    for (int k = 0; k < groups_; ++k) sum += p.at[k].projected.squaredNorm() - (p.at[k].factor * step.col(k) + p.at[k].projected).squaredNorm();
    return sum;
  }

  MatrixXd moved(const Point& p, const MatrixXd& step) {
    MatrixXd to = p.x;
    for (int k = 0; k < groups_; ++k) {
      const Bounds& bounds = on_group(0, k).bounds();
      for (int i = 0; i < to.rows(); ++i) to(i, k) = bounds.moved(i, to(i, k), step(i, k));
    }
    for (int i : shared_) to.row(i).setConstant(to(i, 0));
    return to;
  }

  // Of the last undamped step: the cosine between residual and tangent plane.
  double offset(const Point& p) const {
    const double against = std::max(std::sqrt(p.value), 1e-10 * response_norm_);
    return against > 0 ? reducible_ / against : 0;
  }

  bool settled(const Point& p, const MatrixXd& step, bool& runaway) const {
    bool all = determined_;
    for (int k = 0; k < groups_; ++k)
      for (int i = 0; i < step.rows(); ++i) {
        if (std::fabs(step(i, k)) <= kSettledShare * std::max(std::fabs(p.x(i, k)), typical_(i, k))) continue;
        all = false;
        if (std::fabs(p.x(i, k)) > kRunawayRatio * typical_(i, k) && step(i, k) * p.x(i, k) > 0) runaway = true;
      }
    return all;
  }

  // After an undamped step.
  MatrixXd errors() const {
    const int s = static_cast<int>(shared_.size());
    const double none = std::numeric_limits<double>::quiet_NaN(), open = std::numeric_limits<double>::infinity();
    const MatrixXd root = upper_solution(shared_factor_, MatrixXd::Identity(s, s));
    MatrixXd out(static_cast<Eigen::Index>(own_.size()) + s, groups_);
    for (int j = 0; j < s; ++j) out.row(shared_[j]).setConstant(held_(shared_[j], 0) ? none : determined_ ? root.row(j).norm() : open);
    for (int k = 0; k < groups_; ++k) {
      const Eliminated& e = eliminated_[k];
      MatrixXd both(e.rank(), e.rank() + s);
      both << MatrixXd::Identity(e.rank(), e.rank()), e.cross * root;
      const MatrixXd half = upper_solution(e.own, both);
      for (std::size_t j = 0; j < own_.size(); ++j) {
        const int i = own_[static_cast<std::size_t>(e.order[j])];
        out(i, k) = held_(i, k) ? none : e.open[j] || !determined_ ? open : half.row(static_cast<Eigen::Index>(j)).norm();
      }
    }
    return out;
  }

  // FALSE at a saddle or a maximum. The whole curvature has the Jacobian's arrow structure: it does not curve down where no group's
  // own part does, nor what is left of the shared part when each group's own parameters follow it.
  bool curves_up(const Point& p) {
    const auto s = static_cast<Eigen::Index>(shared_.size()), own = static_cast<Eigen::Index>(own_.size());
    MatrixXd left = MatrixXd::Zero(s, s);
    for (int k = 0; k < groups_; ++k) {
      MatrixXd whole;
      if (!on_group(0, k).squares()->residual_curvature(p.x.col(k), whole)) return true;
      whole += p.at[k].factor.transpose() * p.at[k].factor;
      const auto part = [&](const std::vector<int>& rows, const std::vector<int>& columns) {
        MatrixXd out(static_cast<Eigen::Index>(rows.size()), static_cast<Eigen::Index>(columns.size()));
        for (Eigen::Index i = 0; i < out.rows(); ++i)
          for (Eigen::Index j = 0; j < out.cols(); ++j) {
            const int a = rows[static_cast<std::size_t>(i)], b = columns[static_cast<std::size_t>(j)];
            const double unit = std::max(scale_(a, k), std::numeric_limits<double>::min()) * std::max(scale_(b, k), std::numeric_limits<double>::min());
            out(i, j) = held_(a, k) || held_(b, k) ? 0 : whole(a, b) / unit;
          }
        return out;
      };
      const SymmetricSpectrum eigen = symmetric_spectrum(part(own_, own_));
      const VectorXd& values = eigen.values;
      if (own > 0 && values[0] < -kFalls) return false;
      const MatrixXd cross = eigen.vectors.transpose() * part(own_, shared_);
      left += part(shared_, shared_);
      for (Eigen::Index j = 0; j < own; ++j)
        if (values[j] > kFalls) left -= cross.row(j).transpose() * cross.row(j) / values[j];
    }
    return s == 0 || symmetric_spectrum(left).values[0] >= -kFalls;
  }

  // How many directions the own parameters of a group have that its readings determine; those at a bound count.
  int rank_of(int k) const { return static_cast<int>(eliminated_[k].rank()); }
  bool shared_determined() const { return determined_; }

  long evaluations = 0;

 private:
  Problem& on_group(int thread, int k) {
    Problem& mine = *problems_[thread];
    Columns rows = measured_;
    for (const double*& column : rows.data) column += first_[k];
    rows.rows = first_[k + 1] - first_[k];
    mine.read(rows);
    mine.expect(typical_.col(k));
    return mine;
  }

  VectorXd shared_columns() const {
    VectorXd out(static_cast<Eigen::Index>(shared_.size()));
    for (std::size_t j = 0; j < shared_.size(); ++j) out[static_cast<Eigen::Index>(j)] = held_(shared_[j], 0) ? 1 : scale_(shared_[j], 0);
    return out;
  }

  // Directions that are not determined get no step. TRUE where there are none.
  static bool make_solvable(MatrixXd& factor, VectorXd& right, const VectorXd& columns) {
    bool all = true;
    for (int j = 0; j < factor.rows(); ++j) {
      if (std::fabs(factor(j, j)) > kDetermined * columns[j]) continue;
      factor.row(j).setZero();
      factor(j, j) = 1;
      right[j] = 0;
      all = false;
    }
    return all;
  }

  Eliminated eliminate(const Point& p, int k, double damping) {
    const int own = static_cast<int>(own_.size()), s = static_cast<int>(shared_.size()), n = own + s;
    const Linearisation& at = p.at[k];
    MatrixXd rows = MatrixXd::Zero(std::max<int>(n + own, n + 1), n + 1);
    VectorXd columns(own);
    for (int j = 0; j < own; ++j) {
      const int i = own_[j];
      if (!held_(i, k)) rows.col(j).head(n) = at.factor.col(i);
      rows(n + j, j) = held_(i, k) ? 1 : std::sqrt(damping) * scale_(i, k);
      columns[j] = held_(i, k) ? 1 : std::max(scale_(i, k), std::numeric_limits<double>::min());
    }
    for (int j = 0; j < s; ++j)
      if (!held_(shared_[j], 0)) rows.col(own + j).head(n) = at.factor.col(shared_[j]);
    rows.col(n).head(n) = at.projected;
    Eliminated e;
    const VectorXd unit = columns.cwiseInverse();
    MatrixXd others = rows.rightCols(s + 1);
    const auto [rank, places, r] = pivoted(rows.leftCols(own) * unit.asDiagonal(), kDetermined, &others);
    VectorXd scale(own);
    for (int j = 0; j < own; ++j) {
      e.order.push_back(places[j]);
      scale[j] = columns[places[j]];
    }
    e.own = r.topLeftCorner(rank, rank) * scale.head(rank).asDiagonal();
    e.cross = others.topLeftCorner(rank, s);
    e.right = others.topRightCorner(rank, 1);
    MatrixXd left = MatrixXd::Zero(std::max<Eigen::Index>(others.rows() - rank, s + 1), s + 1);
    left.topRows(others.rows() - rank) = others.bottomRows(others.rows() - rank);
    e.rest = qr_triangle(left, s + 1);
    e.open.assign(static_cast<std::size_t>(own), 0);
    if (rank < own) {
      const MatrixXd moved = upper_solution(r.topLeftCorner(rank, rank), r.block(0, rank, rank, own - rank));
      for (Eigen::Index j = 0; j < own; ++j) e.open[static_cast<std::size_t>(j)] = j >= rank || moved.row(j).norm() > kTakesPart;
    }
    return e;
  }

  // Each parameter's step ends at its limit at the latest.
  MatrixXd kept_inside(const Point& p, MatrixXd step) {
    for (int k = 0; k < groups_; ++k) {
      const Bounds& bounds = on_group(0, k).bounds();
      for (int i = 0; i < step.rows(); ++i)
        step(i, k) = held_(i, k) ? 0 : std::max(bounds.reach_down(i, p.x(i, k)), std::min(bounds.reach_up(i, p.x(i, k)), step(i, k)));
    }
    return step;
  }

  std::vector<int> shared_, own_;
  MatrixXd typical_;
  const Columns& measured_;
  const std::vector<long>& first_;
  int groups_;
  std::vector<std::unique_ptr<Problem>> problems_;
  MatrixXd scale_;
  Eigen::Matrix<bool, Eigen::Dynamic, Eigen::Dynamic> held_;
  std::vector<Eliminated> eliminated_;
  MatrixXd shared_factor_;
  double reducible_ = 0, response_norm_ = 0;
  bool determined_ = true;
};

}  // namespace

SharedFit fit_shared(Problem& problem, const std::vector<int>& shared, const MatrixXd& starts, const MatrixXd& typical,
                     const Columns& measured, const std::vector<long>& first, double tolerance, const Budget& budget) {
  SharedFit out;
  out.x = starts;
  out.reason = StopReason::failed;
  const auto probe = problem.clone();
  if (!probe || !probe->read(measured)) return out;
  ArrowFit fit(problem, shared, typical, measured, first);
  for (int i : shared) out.x.row(i).setConstant(out.x(i, 0));
  Point here = fit.look_at(out.x);
  if (!here.usable) return out;
  double damping = kFirstDamping, growth = 2;
  StopReason claim = StopReason::none;
  while (claim == StopReason::none) {
    if (fit.evaluations >= budget.evaluations) claim = StopReason::evaluations;
    if (problem.work.is_halted()) claim = StopReason::interrupted;
    if (claim != StopReason::none) break;
    fit.prepare(here);
    const MatrixXd step = fit.step(here, damping);
    const double predicted = fit.predicted(here, step);
    if (!(predicted > tolerance * tolerance * here.value) || here.value == 0) {
      claim = StopReason::value;
      break;
    }
    const Point there = fit.look_at(fit.moved(here, step));
    const double ratio = there.usable ? (here.value - there.value) / predicted : -1;
    if (ratio > kWorthwhile) {
      const bool small = here.value - there.value <= tolerance * here.value && predicted <= tolerance * here.value;
      here = there;
      ++out.iterations;
      damping *= std::max(1.0 / 3, 1 - std::pow(2 * ratio - 1, 3));
      growth = 2;
      if (small) claim = StopReason::value;
    } else {
      damping *= growth;
      growth *= 2;
      if (!std::isfinite(damping) || damping > 1e20) claim = StopReason::step;
    }
  }
  // Undamped closing steps, as long as they bring the residual nearer to a right angle.
  fit.prepare(here);
  MatrixXd step = fit.step(here, 0);
  double offset = fit.offset(here);
  for (int k = 0; k < kClosingSteps && claim != StopReason::interrupted && offset > 0; ++k) {
    const Point there = fit.look_at(fit.moved(here, step));
    if (!there.usable || there.value > here.value * (1 + 1e-9)) break;
    fit.prepare(there);
    const MatrixXd next = fit.step(there, 0);
    if (!(fit.offset(there) < offset)) break;
    offset = fit.offset(there);
    here = there;
    step = next;
  }
  // What is claimed is checked afresh.
  here = fit.look_at(here.x);
  fit.prepare(here);
  step = fit.step(here, 0);
  out.gradient_norm = fit.offset(here);
  bool runaway = false;
  const bool settled = fit.settled(here, step, runaway);
  const bool claimed = claim == StopReason::value || claim == StopReason::step;
  out.converged = claimed && settled && out.gradient_norm <= kOptimalGradient && fit.curves_up(here);
  out.reason = !claimed || out.converged ? claim : runaway ? StopReason::diverged : StopReason::stalled;
  out.x = here.x;
  out.errors = fit.errors();
  out.values.resize(out.x.cols());
  for (Eigen::Index k = 0; k < out.x.cols(); ++k) out.values[k] = here.at[static_cast<std::size_t>(k)].value;
  for (int k = 0; k < out.x.cols(); ++k) out.rank.push_back(fit.rank_of(k));
  out.shared_determined = fit.shared_determined();
  out.evaluations = fit.evaluations;
  return out;
}

}  // namespace tundrel
