// Steps for a linearised sum of squares: undamped, or within a trust region.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../problem/squares.h"

namespace tundrel {

// The problem: minimise |A p + b| over |p| <= radius, in scaled parameters: A has some columns of a matrix, each divided by its
// scale. Where A is far from singular and a small triangle, or large, steps come from back substitution in a triangle, damped ones after
// rotating the damping in (More, 1978). Else the singular values of A make every radius cheap and leave out directions that the data do not determine.
class LinearStep {
 public:
  LinearStep() = default;
  LinearStep(const Eigen::MatrixXd& matrix, const std::vector<int>& columns, const Eigen::VectorXd& scale, const Eigen::VectorXd& b) {
    set(matrix, columns, scale, b);
  }
  // Another problem in the place of this one, in the memory that is there where it suffices.
  void set(const Eigen::MatrixXd& matrix, const std::vector<int>& columns, const Eigen::VectorXd& scale, const Eigen::VectorXd& b);

  int rank() const { return rank_; }
  // Directions that the data do not determine, a column each.
  Eigen::MatrixXd undetermined() const;
  // Length of the part of b that a step can remove.
  double reducible() const { return reducible_; }
  // The shortest of the best steps.
  const Eigen::VectorXd& undamped() const { return undamped_; }
  // The best step of at most this length (More and Sorensen, 1983); stays until the next one is asked for.
  const Eigen::VectorXd& within(double radius) const;
  // The damping of that step, and the answer of (A'A + damping) p = right.
  double damping_within(double radius) const;
  Eigen::VectorXd solve(double damping, const Eigen::VectorXd& right) const;
  // The step of a quadratic model with extra curvature, A'A + extra; FALSE if that is not convex
  // in the directions that the data determine.
  bool with_curvature(const Eigen::MatrixXd& extra, Eigen::VectorXd& step) const;

 private:
  // A = U S V', and c = U'b. Found when first asked for.
  struct Spectrum {
    Eigen::VectorXd s, c;
    Eigen::MatrixXd v;
  };
  const Spectrum& spectrum() const;
  // The least of |A p + b|^2 + damping |p|^2, and how fast its length falls as the damping grows.
  struct Damped {
    Eigen::VectorXd step;
    double damping = 0, fall = 0;
  };
  void damp(double damping) const;
  double slope_norm() const;
  // Where by substitution.
  bool take_triangle(const Eigen::MatrixXd& matrix, const std::vector<int>& columns, const Eigen::VectorXd& scale);
  void damp_triangle(double damping) const;
  bool curve_triangle(const Eigen::MatrixXd& extra, Eigen::VectorXd& step) const;
  // The same where A is large: a_ is a triangle then, and b_ what belongs to it.
  bool take_large_triangle();
  Eigen::MatrixXd damped_triangle(double damping, Eigen::VectorXd& right) const;
  void damp_large_triangle(double damping) const;
  bool curve_large_triangle(const Eigen::MatrixXd& extra, Eigen::VectorXd& step) const;

  bool small() const { return n_ <= kSmall; }
  // Up to this size a triangle has its place on its own: in many small fits, finding memory would cost more than the sums.
  static constexpr int kSmall = 8;

  bool by_substitution_ = false;
  int n_ = 0, rank_ = 0;
  double triangle_[kSmall][kSmall], diagonal_[kSmall];  // where by substitution and small: A's rows, and one over its diagonal
  Eigen::MatrixXd a_;                                   // else A
  Eigen::VectorXd b_, undamped_;
  double reducible_ = 0;
  mutable Spectrum spectrum_;
  mutable Damped damped_;  // what was found last
};

// A step in all parameters that keeps within bounds: parameters that would leave theirs stop there
// and the others are chosen again. `unheld` may move; `scale` makes parameters comparable; `whole` is
// the step's problem in all of `unheld`. An infinite radius asks for the undamped step.
void bounded_step(const Problem& problem, const Eigen::VectorXd& x, const Linearisation& at, const std::vector<int>& unheld,
                  const Eigen::VectorXd& scale, double radius, const LinearStep& whole, Eigen::VectorXd& step);

}  // namespace tundrel
