#include "quadratic_program.h"

#include <cmath>

#include "../decompositions.h"
#include "../numbers.h"

namespace tundrel {
namespace {

// Violations below this share of the sizes compared are rounding.
constexpr double kProgramRounding = 1e-12;

struct Active {
  int constraint;
  double sign;        // equalities may be approached from either side
  double multiplier;
};

// Directions for taking in the constraint with normal n: the step z in x, and by how much the active
// multipliers shrink for each unit of the new one.
struct Directions {
  Eigen::VectorXd step, shrink;
};

class DualMethod {
 public:
  explicit DualMethod(const QuadraticProgram& program) : p_(program), cholesky_(program.curvature) {
    x_ = -cholesky_.solve(p_.slope);
  }

  QuadraticSolution solve() {
    const int most = 50 * (static_cast<int>(p_.normals.cols()) + 1);
    for (int round = 0; round < most; ++round) {
      const int violated = most_violated();
      if (violated < 0) return solution(true);
      if (!take_in(violated)) return solution(false);
    }
    return solution(false);
  }

 private:
  double excess(int i) const { return p_.normals.col(i).dot(x_) - p_.offsets[i]; }
  double rounding(int i) const {
    return kProgramRounding * (std::fabs(p_.offsets[i]) + p_.normals.col(i).cwiseAbs().dot(x_.cwiseAbs()) + 1e-300) + p_.slack * p_.normals.col(i).norm();
  }
  bool is_active(int i) const {
    for (const Active& a : active_)
      if (a.constraint == i) return true;
    return false;
  }

  int most_violated() const {
    int worst = -1;
    double by = 0;
    for (int i = 0; i < p_.normals.cols(); ++i) {
      if (is_active(i)) continue;
      const double e = excess(i);
      const double violation = (i < p_.n_equalities ? std::fabs(e) : -e) - rounding(i);
      const double relative = violation / (p_.normals.col(i).norm() + 1e-300);
      if (relative > by) {
        by = relative;
        worst = i;
      }
    }
    return worst;
  }

  Directions directions(const Eigen::VectorXd& normal) const {
    Directions d;
    const Eigen::VectorXd free = cholesky_.solve(normal);
    if (active_.empty()) {
      d.step = free;
      return d;
    }
    Eigen::MatrixXd n(x_.size(), active_.size());
    for (std::size_t k = 0; k < active_.size(); ++k) n.col(k) = active_[k].sign * p_.normals.col(active_[k].constraint);
    const Eigen::MatrixXd g_n = cholesky_.solve(n);
    d.shrink = pivoted_solution(n.transpose() * g_n, g_n.transpose() * normal);
    d.step = free - g_n * d.shrink;
    // What is left of a normal that depends on the active ones is rounding.
    if (d.step.norm() <= 1e-10 * free.norm()) d.step.setZero();
    return d;
  }

  bool take_in(int constraint) {
    const double sign = constraint < p_.n_equalities && excess(constraint) > 0 ? -1 : 1;
    const Eigen::VectorXd normal = sign * p_.normals.col(constraint);
    double multiplier = 0;
    for (;;) {
      const Directions d = directions(normal);
      double until_drop = kInfinity;
      std::size_t dropped = 0;
      for (std::size_t k = 0; k < active_.size(); ++k) {
        if (active_[k].constraint < p_.n_equalities || !(d.shrink[k] > 0)) continue;
        const double t = active_[k].multiplier / d.shrink[k];
        if (t < until_drop) {
          until_drop = t;
          dropped = k;
        }
      }
      const double gain = d.step.dot(normal);
      const double until_met = gain > 0 ? -sign * excess(constraint) / gain : kInfinity;
      const double t = std::min(until_drop, until_met);
      if (!std::isfinite(t)) return false;
      if (std::isfinite(until_met)) x_ += t * d.step;
      multiplier += t;
      for (std::size_t k = 0; k < active_.size(); ++k) active_[k].multiplier -= t * d.shrink[k];
      if (until_met <= until_drop) {
        active_.push_back({constraint, sign, multiplier});
        return true;
      }
      active_.erase(active_.begin() + static_cast<std::ptrdiff_t>(dropped));
    }
  }

  QuadraticSolution solution(bool feasible) const {
    QuadraticSolution s;
    s.feasible = feasible;
    s.x = x_;
    s.multipliers = Eigen::VectorXd::Zero(p_.normals.cols());
    for (const Active& a : active_) s.multipliers[a.constraint] = a.sign * a.multiplier;
    if (feasible) sharpen(s);
    return s;
  }

  // The point and the multipliers once more from the active constraints alone, by orthogonal steps: what the way there has
  // added up in rounding is gone, and a vertex is met to the last digits.
  void sharpen(QuadraticSolution& s) const {
    const auto k = static_cast<Eigen::Index>(active_.size()), n = x_.size();
    if (k == 0 || k > n) return;
    Eigen::MatrixXd normals(n, k);
    Eigen::VectorXd offsets(k);
    for (Eigen::Index j = 0; j < k; ++j) {
      const int constraint = active_[static_cast<std::size_t>(j)].constraint;
      normals.col(j) = p_.normals.col(constraint);
      offsets[j] = p_.offsets[constraint];
    }
    const auto [q, triangle] = orthogonal(normals);
    Eigen::VectorXd x = q.leftCols(k) * lower_solution(triangle, offsets);
    if (n > k) {
      const Eigen::MatrixXd open = q.rightCols(n - k);
      const Eigen::MatrixXd reduced = open.transpose() * p_.curvature * open;
      x += open * semidefinite_solution(reduced, -open.transpose() * (p_.slope + p_.curvature * x));
    }
    const Eigen::VectorXd multipliers = upper_solution(triangle, q.leftCols(k).transpose() * (p_.curvature * x + p_.slope));
    if (!x.allFinite() || !multipliers.allFinite()) return;
    for (int i = 0; i < p_.normals.cols(); ++i) {
      const double e = p_.normals.col(i).dot(x) - p_.offsets[i];
      const double slack = 1e2 * kProgramRounding * (std::fabs(p_.offsets[i]) + p_.normals.col(i).cwiseAbs().dot(x.cwiseAbs())) +
                           p_.slack * p_.normals.col(i).norm();
      if (e < -slack || (i < p_.n_equalities && e > slack)) return;
    }
    const double size = multipliers.cwiseAbs().maxCoeff();
    for (Eigen::Index j = 0; j < k; ++j)
      if (active_[static_cast<std::size_t>(j)].constraint >= p_.n_equalities && multipliers[j] < -1e-9 * size) return;
    s.x = x;
    for (Eigen::Index j = 0; j < k; ++j) s.multipliers[active_[static_cast<std::size_t>(j)].constraint] = multipliers[j];
  }

  const QuadraticProgram& p_;
  Cholesky cholesky_;
  Eigen::VectorXd x_;
  std::vector<Active> active_;
};

}  // namespace

QuadraticSolution solve(const QuadraticProgram& program) { return DualMethod(program).solve(); }

}  // namespace tundrel
