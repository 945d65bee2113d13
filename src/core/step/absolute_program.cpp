#include "absolute_program.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "../decompositions.h"

namespace tundrel {
namespace {

// Of what slopes come to, this share is rounding; of a normal, this share beside the others makes it independent of them.
constexpr double kAbsoluteRounding = 1e-11, kIndependent = 1e-9;

// Something linear that is zero where the walk is, and kept so: a kink, or a limit of a step.
struct Held {
  bool is_kink;
  int which;
  Eigen::VectorXd normal;
  double offset;  // it is zero where normal'z = offset
  double weight;  // most that a kink's multiplier may be; limits have a sign instead
};

class EdgeWalk {
 public:
  explicit EdgeWalk(const AbsoluteProgram& program)
      : p_(program), normals_(program.metric.transpose() * program.normals), slope_(program.metric.transpose() * program.slope),
        z_(Eigen::VectorXd::Zero(program.metric.cols())) {
    size_ = slope_.norm() + normals_.colwise().norm().dot(p_.counts.transpose());
    smallest_ = kAbsoluteRounding * (1 + p_.values.cwiseAbs().maxCoeff());
  }

  Eigen::VectorXd solve() {
    const int most = 50 + 20 * static_cast<int>(z_.size() + p_.values.size());
    for (int round = 0; round < most && size_ > 0; ++round)
      if (!step()) break;
    sharpen();
    return p_.metric * z_;
  }

 private:
  double kink(int i) const { return p_.values[i] + normals_.col(i).dot(z_); }
  bool holds(bool is_kink, int which) const {
    return std::any_of(held_.begin(), held_.end(), [&](const Held& h) { return h.is_kink == is_kink && h.which == which; });
  }
  Eigen::MatrixXd held_normals(std::size_t without) const {
    Eigen::MatrixXd out(z_.size(), static_cast<Eigen::Index>(held_.size() - (without < held_.size())));
    Eigen::Index k = 0;
    for (std::size_t j = 0; j < held_.size(); ++j)
      if (j != without) out.col(k++) = held_[j].normal;
    return out;
  }
  static Eigen::VectorXd beside(const Eigen::VectorXd& x, const Eigen::MatrixXd& columns) {
    if (columns.cols() == 0) return x;
    return x - columns * pivoted_solution(columns, x);
  }

  // Of all kinks that are not zero.
  Eigen::VectorXd slope() const {
    Eigen::VectorXd out = slope_;
    for (int i = 0; i < p_.values.size(); ++i) {
      if (holds(true, i)) continue;
      const double at = kink(i);
      if (std::fabs(at) > smallest_) out += (at > 0 ? 1 : -1) * p_.counts[i] * normals_.col(i);
    }
    return out;
  }

  // FALSE where nothing leads down.
  bool step() {
    const Eigen::VectorXd g = slope();
    const std::size_t none = held_.size();
    const Eigen::MatrixXd all = held_normals(none);
    const Eigen::VectorXd left = beside(g, all);
    if (left.norm() > kAbsoluteRounding * size_ && walk(-left / left.norm(), g)) return true;
    // One that is held is let go where its multiplier is beyond what it may be, the worst first.
    if (held_.empty()) return false;
    const Eigen::VectorXd multiplier = pivoted_solution(all, g);
    std::vector<std::pair<double, std::size_t>> beyond;
    for (std::size_t k = 0; k < held_.size(); ++k) {
      const double m = multiplier[static_cast<Eigen::Index>(k)], length = held_[k].normal.norm();
      const double excess = held_[k].is_kink ? std::fabs(m) - held_[k].weight : -m;
      if (excess * length > kAbsoluteRounding * size_) beyond.push_back({excess * length, k});
    }
    std::sort(beyond.rbegin(), beyond.rend());
    for (const auto& [excess, k] : beyond) {
      Eigen::VectorXd direction = beside(held_[k].normal, held_normals(k));
      if (!(direction.norm() > kIndependent * held_[k].normal.norm())) continue;
      direction /= direction.norm();
      if (multiplier[static_cast<Eigen::Index>(k)] > 0) direction = -direction;
      const Held let_go = held_[k];
      held_.erase(held_.begin() + static_cast<std::ptrdiff_t>(k));
      if (walk(direction, g)) return true;
      held_.insert(held_.begin() + static_cast<std::ptrdiff_t>(k), let_go);
    }
    return false;
  }

  // Along a direction down, past kinks until the value would rise again. FALSE where it does not fall; then nothing has changed.
  bool walk(const Eigen::VectorXd& direction, const Eigen::VectorXd& g) {
    double fall = g.dot(direction);
    std::vector<std::pair<double, int>> ahead;
    for (int i = 0; i < p_.values.size(); ++i) {
      if (holds(true, i)) continue;
      const double rate = normals_.col(i).dot(direction), at = kink(i);
      if (std::fabs(at) <= smallest_)
        fall += p_.counts[i] * std::fabs(rate);  // its slope was not counted
      else if (rate != 0 && at / rate < 0)
        ahead.push_back({-at / rate, i});
    }
    if (!(fall < -kAbsoluteRounding * size_)) return false;
    std::sort(ahead.begin(), ahead.end());
    double reach = std::numeric_limits<double>::infinity();
    int limit = -1;
    const Eigen::VectorXd d = p_.metric * direction, here = p_.metric * z_;
    for (int i = 0; i < d.size(); ++i) {
      const double room = d[i] > 0 ? (p_.upper[i] - here[i]) / d[i] : d[i] < 0 ? (p_.lower[i] - here[i]) / d[i] : reach;
      if (std::fabs(d[i]) > 0 && !holds(false, i) && room < reach) {
        reach = std::max(room, 0.0);
        limit = i;
      }
    }
    for (const auto& [at, i] : ahead) {
      if (at >= reach) break;
      fall += 2 * p_.counts[i] * std::fabs(normals_.col(i).dot(direction));
      if (fall < 0) continue;
      z_ += at * direction;
      hold({true, i, normals_.col(i), -p_.values[i], p_.counts[i]});
      return true;
    }
    if (!std::isfinite(reach)) return false;
    z_ += reach * direction;
    const bool up = d[limit] > 0;
    const Eigen::VectorXd normal = (up ? -1 : 1) * p_.metric.row(limit).transpose();
    const bool held = hold({false, limit, normal, up ? -p_.upper[limit] : p_.lower[limit], 0});
    return held || reach > 0;
  }

  // FALSE where what is held already decides it.
  bool hold(const Held& one) {
    const bool independent = beside(one.normal, held_normals(held_.size())).norm() > kIndependent * one.normal.norm();
    if (independent) held_.push_back(one);
    return independent;
  }

  // The corner that was reached, from what is held there alone.
  void sharpen() {
    if (static_cast<Eigen::Index>(held_.size()) != z_.size() || held_.empty()) return;
    Eigen::VectorXd offsets(z_.size());
    for (std::size_t k = 0; k < held_.size(); ++k) offsets[static_cast<Eigen::Index>(k)] = held_[k].offset;
    const Eigen::VectorXd corner = pivoted_solution(held_normals(held_.size()).transpose(), offsets);
    if (corner.allFinite()) z_ = corner;
  }

  const AbsoluteProgram& p_;
  Eigen::MatrixXd normals_;
  Eigen::VectorXd slope_, z_;
  double size_ = 0, smallest_ = 0;
  std::vector<Held> held_;
};

}  // namespace

Eigen::VectorXd solve(const AbsoluteProgram& program) { return EdgeWalk(program).solve(); }

Eigen::MatrixXd unit_steps(const Eigen::MatrixXd& factor, const std::vector<int>& moving) {
  const auto m = static_cast<Eigen::Index>(moving.size());
  Eigen::MatrixXd columns(factor.rows(), m);
  for (Eigen::Index j = 0; j < m; ++j) columns.col(j) = factor.col(moving[static_cast<std::size_t>(j)]);
  Eigen::VectorXd norms = columns.colwise().norm().transpose();
  for (Eigen::Index j = 0; j < m; ++j)
    if (!(norms[j] > 0)) norms[j] = 1;
  const SingularValues svd = singular_values(columns * norms.cwiseInverse().asDiagonal());
  const Eigen::VectorXd& s = svd.values;
  Eigen::Index rank = 0;
  while (rank < s.size() && s[rank] > 10.0 * static_cast<double>(m) * std::numeric_limits<double>::epsilon() * s[0]) ++rank;
  const Eigen::MatrixXd steps = norms.cwiseInverse().asDiagonal() * svd.v.leftCols(rank) * s.head(rank).cwiseInverse().asDiagonal();
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(factor.cols(), rank);
  for (Eigen::Index j = 0; j < m; ++j) out.row(moving[static_cast<std::size_t>(j)]) = steps.row(j);
  return out;
}

}  // namespace tundrel
