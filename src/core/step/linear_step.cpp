#include "linear_step.h"

#include <cmath>

#include "../decompositions.h"
#include "../numbers.h"


namespace tundrel {
namespace {

// The radius is met to this share; closer is not worth its cost.
constexpr double kLinearRadiusShare = 0.05;

// Below this condition number a matrix is clearly not singular.
constexpr double kClearlyRegular = 1e8;

}  // namespace

void LinearStep::set(const Eigen::MatrixXd& matrix, const std::vector<int>& columns, const Eigen::VectorXd& scale, const Eigen::VectorXd& b) {
  n_ = static_cast<int>(columns.size());
  b_ = b;
  rank_ = 0;
  reducible_ = 0;
  spectrum_.s.resize(0);
  undamped_.resize(n_);
  by_substitution_ = n_ > 0 && take_triangle(matrix, columns, scale);
  if (n_ == 0) return;
  if (by_substitution_) {
    rank_ = n_;
    for (int i = n_ - 1; i >= 0; --i) {
      double x = -b_[i];
      for (int k = i + 1; k < n_; ++k) x -= triangle_[i][k] * undamped_[k];
      undamped_[i] = x * diagonal_[i];
      reducible_ += b_[i] * b_[i];
    }
    reducible_ = std::sqrt(reducible_);
    return;
  }
  a_.resize(matrix.rows(), n_);
  for (int k = 0; k < n_; ++k) a_.col(k) = matrix.col(columns[k]) / scale[columns[k]];
  if (!small() && take_large_triangle()) {
    by_substitution_ = true;
    rank_ = n_;
    reducible_ = b_.norm();
    undamped_ = -upper_solution(a_, b_);
    return;
  }
  const Eigen::VectorXd& s = spectrum().s;
  const double floor = 10 * n_ * kEpsilon * s[0];
  while (rank_ < s.size() && s[rank_] > floor) ++rank_;
  reducible_ = spectrum().c.head(rank_).norm();
  damp(0);
  undamped_ = damped_.step;
}

// TRUE if A is a small triangle, as linearise() gives it, and clearly regular. The product of the Frobenius norms of the triangle and
// its inverse is an upper bound of the condition number.
bool LinearStep::take_triangle(const Eigen::MatrixXd& matrix, const std::vector<int>& columns, const Eigen::VectorXd& scale) {
  if (n_ > kSmall || matrix.rows() != n_) return false;
  double square = 0, inverse_square = 0;
  for (int j = 0; j < n_; ++j) {
    const double* from = matrix.data() + columns[j] * matrix.rows();
    for (int i = j + 1; i < n_; ++i)
      if (from[i] != 0) return false;
    const double share = 1 / scale[columns[j]];
    for (int i = 0; i <= j; ++i) {
      triangle_[i][j] = from[i] * share;
      square += triangle_[i][j] * triangle_[i][j];
    }
    diagonal_[j] = 1 / triangle_[j][j];
    // Column j of the inverse, from its end.
    double column[kSmall];
    column[j] = diagonal_[j];
    inverse_square += column[j] * column[j];
    for (int i = j - 1; i >= 0; --i) {
      double x = 0;
      for (int k = i + 1; k <= j; ++k) x -= triangle_[i][k] * column[k];
      column[i] = x * diagonal_[i];
      inverse_square += column[i] * column[i];
    }
  }
  return square * inverse_square < kClearlyRegular * kClearlyRegular;
}

// FALSE where A is not clearly regular; A and b are then as they were.
bool LinearStep::take_large_triangle() {
  if (a_.rows() < n_ || !a_.allFinite()) return false;
  Eigen::VectorXd right = b_;
  const Eigen::MatrixXd triangle = triangle_of(a_, right);
  if ((triangle.diagonal().array() == 0).any()) return false;
  const double condition = triangle.norm() * upper_solution(triangle, Eigen::MatrixXd::Identity(n_, n_)).norm();
  if (!(condition < kClearlyRegular)) return false;
  a_ = triangle;
  b_ = right;
  return true;
}

// Of what is not clearly regular, or no triangle though small; or of any, where directions or answers are asked for.
const LinearStep::Spectrum& LinearStep::spectrum() const {
  if (spectrum_.s.size() > 0) return spectrum_;
  Eigen::MatrixXd a = a_;
  if (by_substitution_ && small()) {
    a.setZero(n_, n_);
    for (int j = 0; j < n_; ++j)
      for (int i = 0; i <= j; ++i) a(i, j) = triangle_[i][j];
  }
  const SingularValues svd = singular_values(a);
  spectrum_.s = svd.values;
  spectrum_.v = svd.v;
  spectrum_.c = svd.u.transpose() * b_;
  return spectrum_;
}

Eigen::MatrixXd LinearStep::undetermined() const {
  if (rank_ == n_) return Eigen::MatrixXd(rank_, 0);
  return spectrum().v.rightCols(n_ - rank_);
}

void LinearStep::damp(double damping) const {
  if (by_substitution_) return small() ? damp_triangle(damping) : damp_large_triangle(damping);
  const auto& [s_all, c, v] = spectrum();
  const auto s = s_all.head(rank_).array();
  const Eigen::ArrayXd denominator = s.square() + damping;
  const Eigen::VectorXd part = s * c.head(rank_).array() / denominator;
  damped_ = {-(v.leftCols(rank_) * part), damping, (part.array().square() / denominator).sum() / part.norm()};
}

// Each row of the damping, a multiple of a unit vector, is turned to zero by rotations with the triangle's rows.
void LinearStep::damp_triangle(double damping) const {
  double r[kSmall][kSmall], one_over[kSmall], z[kSmall];  // the triangle's rows, one over its diagonal, and what is on the right
  for (int i = 0; i < n_; ++i) {
    for (int j = i; j < n_; ++j) r[i][j] = triangle_[i][j];
    one_over[i] = diagonal_[i];
    z[i] = b_[i];
  }
  for (int k = 0; damping > 0 && k < n_; ++k) {
    double row[kSmall] = {};
    row[k] = std::sqrt(damping);
    double right = 0;
    for (int j = k; j < n_; ++j) {
      // Squares do not over- or underflow: a triangle for which they would is not taken for clearly regular.
      const double length = std::sqrt(r[j][j] * r[j][j] + row[j] * row[j]);
      one_over[j] = 1 / length;
      const double c = r[j][j] * one_over[j], s = row[j] * one_over[j];
      r[j][j] = length;
      for (int i = j + 1; i < n_; ++i) {
        const double upper = r[j][i];
        r[j][i] = c * upper + s * row[i];
        row[i] = c * row[i] - s * upper;
      }
      const double upper = z[j];
      z[j] = c * upper + s * right;
      right = c * right - s * upper;
    }
  }
  damped_.damping = damping;
  damped_.step.resize(n_);
  double* const step = damped_.step.data();
  double length_square = 0, fall = 0;
  for (int i = n_ - 1; i >= 0; --i) {
    double x = -z[i];
    for (int k = i + 1; k < n_; ++k) x -= r[i][k] * step[k];
    step[i] = x * one_over[i];
    length_square += step[i] * step[i];
  }
  // How fast: the square of the inverse triangle, transposed, times the step.
  double slope[kSmall];
  for (int i = 0; i < n_; ++i) {
    double x = step[i];
    for (int k = 0; k < i; ++k) x -= r[k][i] * slope[k];
    slope[i] = x * one_over[i];
    fall += slope[i] * slope[i];
  }
  damped_.fall = fall / std::sqrt(length_square);
}

// The triangle of A over a multiple of the identity, and what belongs to it of b over zeros.
Eigen::MatrixXd LinearStep::damped_triangle(double damping, Eigen::VectorXd& right) const {
  right = b_;
  if (damping == 0) return a_;
  Eigen::MatrixXd stacked(2 * n_, n_);
  stacked << a_, std::sqrt(damping) * Eigen::MatrixXd::Identity(n_, n_);
  right.conservativeResizeLike(Eigen::VectorXd::Zero(2 * n_));
  return triangle_of(stacked, right);
}

void LinearStep::damp_large_triangle(double damping) const {
  Eigen::VectorXd right;
  const Eigen::MatrixXd triangle = damped_triangle(damping, right);
  const Eigen::VectorXd step = -upper_solution(triangle, right);
  damped_ = {step, damping, lower_solution(triangle, step).squaredNorm() / step.norm()};
}

const Eigen::VectorXd& LinearStep::within(double radius) const {
  if (rank_ == 0 || undamped_.norm() <= radius) return undamped_;
  // Newton's iteration on 1 / |step|, which is nearly linear in the damping, inside a bracket.
  double low = 0, high = slope_norm() / radius;
  damp(0);
  for (int i = 0; i < 50; ++i) {
    const double length = damped_.step.norm();
    if (std::fabs(length - radius) <= kLinearRadiusShare * radius) break;
    (length > radius ? low : high) = damped_.damping;
    double damping = damped_.damping + (length - radius) / radius * length / damped_.fall;
    if (!(damping > low && damping < high)) damping = low > 0 ? std::sqrt(low * high) : 1e-3 * high;
    damp(damping);
  }
  return damped_.step;
}

// Of A'b.
double LinearStep::slope_norm() const {
  if (!by_substitution_ || !small()) return (a_.transpose() * b_).norm();
  double square = 0;
  for (int j = 0; j < n_; ++j) {
    double x = 0;
    for (int i = 0; i <= j; ++i) x += triangle_[i][j] * b_[i];
    square += x * x;
  }
  return std::sqrt(square);
}

double LinearStep::damping_within(double radius) const { return &within(radius) == &undamped_ ? 0 : damped_.damping; }

Eigen::VectorXd LinearStep::solve(double damping, const Eigen::VectorXd& right) const {
  if (by_substitution_ && !small()) {
    Eigen::VectorXd unused;
    const Eigen::MatrixXd triangle = damped_triangle(damping, unused);
    return upper_solution(triangle, lower_solution(triangle, right));
  }
  const auto v = spectrum().v.leftCols(rank_);
  return v * ((v.transpose() * right).array() / (spectrum().s.head(rank_).array().square() + damping)).matrix();
}

// In coordinates t = R p of the triangle, or t = s V'p of the singular values, the model is t'(I + K)t / 2 + c't: its
// conditioning is that of the Jacobian and not of its square.
bool LinearStep::with_curvature(const Eigen::MatrixXd& extra, Eigen::VectorXd& step) const {
  if (rank_ == 0) return false;
  if (by_substitution_) return small() ? curve_triangle(extra, step) : curve_large_triangle(extra, step);
  const auto& [s, c, v] = spectrum();
  const Eigen::MatrixXd w = v.leftCols(rank_) * s.head(rank_).cwiseInverse().asDiagonal();
  const Eigen::MatrixXd model =
      Eigen::MatrixXd::Identity(rank_, rank_) + w.transpose() * extra * w;
  const Cholesky cholesky(model);
  if (!cholesky.definite()) return false;
  step = -(w * cholesky.solve(c.head(rank_)));
  return step.allFinite();
}

bool LinearStep::curve_triangle(const Eigen::MatrixXd& extra, Eigen::VectorXd& step) const {
  // K is the inverse triangle, transposed, times the curvature times the inverse triangle: substitution in the columns, then in the rows,
  // of which only those up to the diagonal are needed.
  double k[kSmall][kSmall];
  for (int j = 0; j < n_; ++j)
    for (int i = 0; i < n_; ++i) {
      double x = extra(i, j);
      for (int m = 0; m < i; ++m) x -= triangle_[m][i] * k[m][j];
      k[i][j] = x * diagonal_[i];
    }
  for (int i = 0; i < n_; ++i)
    for (int j = 0; j <= i; ++j) {
      double x = k[i][j];
      for (int m = 0; m < j; ++m) x -= triangle_[m][j] * k[i][m];
      k[i][j] = x * diagonal_[j];
    }
  // The Cholesky factor of I + K in its place, with one over its diagonal; and the answer for t in the step's.
  step.resize(n_);
  for (int i = 0; i < n_; ++i) {
    double z = -b_[i];
    for (int j = 0; j < i; ++j) {
      double x = k[i][j];
      for (int m = 0; m < j; ++m) x -= k[i][m] * k[j][m];
      k[i][j] = x * k[j][j];
      z -= k[i][j] * step[j];
    }
    double x = 1 + k[i][i];
    for (int m = 0; m < i; ++m) x -= k[i][m] * k[i][m];
    if (!(x > 0)) return false;
    k[i][i] = 1 / std::sqrt(x);
    step[i] = z * k[i][i];
  }
  for (int i = n_ - 1; i >= 0; --i) {
    for (int j = i + 1; j < n_; ++j) step[i] -= k[j][i] * step[j];
    step[i] *= k[i][i];
  }
  // Back to p.
  for (int i = n_ - 1; i >= 0; --i) {
    for (int j = i + 1; j < n_; ++j) step[i] -= triangle_[i][j] * step[j];
    step[i] *= diagonal_[i];
  }
  return step.allFinite();
}

bool LinearStep::curve_large_triangle(const Eigen::MatrixXd& extra, Eigen::VectorXd& step) const {
  Eigen::MatrixXd model = lower_solution(a_, lower_solution(a_, extra).transpose());
  model.diagonal().array() += 1;
  const Cholesky cholesky(model);
  if (!cholesky.definite()) return false;
  step = -upper_solution(a_, cholesky.solve(b_));
  return step.allFinite();
}

void bounded_step(const Problem& problem, const Eigen::VectorXd& x, const Linearisation& at, const std::vector<int>& unheld,
                  const Eigen::VectorXd& scale, double radius, const LinearStep& whole, Eigen::VectorXd& step) {
  const Bounds& bounds = problem.bounds();
  step.setZero(x.size());
  if (unheld.empty()) return;
  const Eigen::VectorXd& free = whole.within(radius);
  bool inside = true;
  for (std::size_t k = 0; k < unheld.size(); ++k) {
    const int i = unheld[k];
    step[i] = free[k] / scale[i];
    inside = inside && step[i] >= bounds.reach_down(i, x[i]) && step[i] <= bounds.reach_up(i, x[i]);
  }
  if (inside) return;
  step.setZero();
  std::vector<int> moving = unheld;
  Eigen::VectorXd part = free;
  // Each pass stops at least one parameter, so that there are no more passes than parameters.
  while (true) {
    for (std::size_t k = 0; k < moving.size(); ++k) part[k] /= scale[moving[k]];
    if (!bounds.stop_leaving(x, part, moving, step) || moving.empty()) return;
    const LinearStep rest(at.factor, moving, scale, at.projected + at.factor * step);
    part = rest.within(std::sqrt(std::max(0.0, radius * radius - step.cwiseProduct(scale).squaredNorm())));
  }
}

}  // namespace tundrel
