#include "linear_step.h"

#include <Eigen/Cholesky>
#include <Eigen/Jacobi>
#include <Eigen/SVD>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

constexpr double kEpsilon = std::numeric_limits<double>::epsilon();
// The radius is met to this share; closer is not worth its cost.
constexpr double kRadiusShare = 0.05;

// Up to this size a matrix has its place on the stack: in many small fits, finding memory would cost more than the sums.
constexpr int kSmall = 8;
using SmallMatrix = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, kSmall, kSmall>;

using SmallVector = Eigen::Matrix<double, Eigen::Dynamic, 1, Eigen::ColMajor, kSmall, 1>;

// Below this condition number a matrix is clearly not singular.
constexpr double kClearlyRegular = 1e8;

// right := the inverse of an upper triangle times it; and the same with the triangle transposed.
template <class Triangle, class Vector>
void substitute(const Triangle& r, Vector& right) {
  for (Eigen::Index i = right.size(); i-- > 0;) {
    double x = right[i];
    for (Eigen::Index k = i + 1; k < right.size(); ++k) x -= r(i, k) * right[k];
    right[i] = x / r(i, i);
  }
}

template <class Triangle, class Vector>
void substitute_transposed(const Triangle& r, Vector& right) {
  for (Eigen::Index i = 0; i < right.size(); ++i) {
    double x = right[i];
    for (Eigen::Index k = 0; k < i; ++k) x -= r(k, i) * right[k];
    right[i] = x / r(i, i);
  }
}

// The undamped step where the matrix is a small triangle, as linearise() gives it, and clearly regular: its condition
// number is at most the product of the Frobenius norms of triangle and inverse. FALSE where singular values have to tell.
bool solve_triangle(const Eigen::MatrixXd& matrix, const Eigen::VectorXd& b, Eigen::VectorXd& step) {
  const Eigen::Index n = matrix.cols();
  if (n > kSmall || matrix.rows() != n || !matrix.isUpperTriangular(0)) return false;
  double inverse_square = 0;
  for (Eigen::Index j = 0; j < n; ++j) {
    SmallVector column = SmallVector::Unit(j + 1, j);
    substitute(matrix, column);
    inverse_square += column.squaredNorm();
  }
  if (!(matrix.squaredNorm() * inverse_square < kClearlyRegular * kClearlyRegular)) return false;
  step = -b;
  substitute(matrix, step);
  return true;
}

template <class Matrix>
void decompose(const Matrix& a, const Eigen::VectorXd& b, Eigen::VectorXd& s, Eigen::MatrixXd& v, Eigen::VectorXd& c) {
  const Eigen::JacobiSVD<Matrix> svd(a, Eigen::ComputeThinU | Eigen::ComputeThinV);
  s = svd.singularValues();
  v = svd.matrixV();
  c = svd.matrixU().transpose() * b;
}

}  // namespace

void LinearStep::set(const Eigen::MatrixXd& matrix, const std::vector<int>& columns, const Eigen::VectorXd& scale, const Eigen::VectorXd& b) {
  a_.resize(matrix.rows(), static_cast<Eigen::Index>(columns.size()));
  for (Eigen::Index k = 0; k < a_.cols(); ++k) a_.col(k) = matrix.col(columns[k]) / scale[columns[k]];
  b_ = b;
  rank_ = 0;
  reducible_ = 0;
  spectrum_.s.resize(0);
  by_substitution_ = a_.cols() > 0 && solve_triangle(a_, b_, undamped_);
  if (by_substitution_) {
    rank_ = static_cast<int>(a_.cols());
    reducible_ = b_.norm();
    return;
  }
  undamped_.resize(a_.cols());
  if (a_.cols() == 0) return;
  const Eigen::VectorXd& s = spectrum().s;
  const double floor = 10 * static_cast<double>(a_.cols()) * kEpsilon * s[0];
  while (rank_ < s.size() && s[rank_] > floor) ++rank_;
  reducible_ = spectrum().c.head(rank_).norm();
  undamped_ = damped(0).step;
}

const LinearStep::Spectrum& LinearStep::spectrum() const {
  if (spectrum_.s.size() > 0) return spectrum_;
  if (a_.rows() <= kSmall && a_.cols() <= kSmall)
    decompose<SmallMatrix>(a_, b_, spectrum_.s, spectrum_.v, spectrum_.c);
  else
    decompose<Eigen::MatrixXd>(a_, b_, spectrum_.s, spectrum_.v, spectrum_.c);
  return spectrum_;
}

Eigen::MatrixXd LinearStep::undetermined() const {
  if (rank_ == a_.cols()) return Eigen::MatrixXd(rank_, 0);
  return spectrum().v.rightCols(a_.cols() - rank_);
}

Eigen::VectorXd LinearStep::within(double radius) const { return best_within(radius).step; }

double LinearStep::damping_within(double radius) const { return best_within(radius).damping; }

LinearStep::Damped LinearStep::damped(double damping) const {
  if (by_substitution_) return damped_triangle(damping);
  const auto& [s_all, c, v] = spectrum();
  const auto s = s_all.head(rank_).array();
  const Eigen::ArrayXd denominator = s.square() + damping;
  const Eigen::VectorXd part = s * c.head(rank_).array() / denominator;
  return {-(v.leftCols(rank_) * part), damping, (part.array().square() / denominator).sum() / part.norm()};
}

// Each row of the damping, a multiple of a unit vector, is turned to zero by rotations with the triangle's rows.
LinearStep::Damped LinearStep::damped_triangle(double damping) const {
  const Eigen::Index n = a_.cols();
  SmallMatrix r = a_;
  SmallVector z = b_;
  for (Eigen::Index k = 0; damping > 0 && k < n; ++k) {
    SmallVector row = SmallVector::Zero(n);
    row[k] = std::sqrt(damping);
    double right = 0;
    for (Eigen::Index j = k; j < n; ++j) {
      Eigen::JacobiRotation<double> rotation;
      double length = 0;
      rotation.makeGivens(r(j, j), row[j], &length);
      r(j, j) = length;
      const double c = rotation.c(), s = -rotation.s();
      for (Eigen::Index i = j + 1; i < n; ++i) {
        const double upper = r(j, i);
        r(j, i) = c * upper + s * row[i];
        row[i] = c * row[i] - s * upper;
      }
      const double upper = z[j];
      z[j] = c * upper + s * right;
      right = c * right - s * upper;
    }
  }
  Damped out{-z, damping, 0};
  substitute(r, out.step);
  SmallVector slope = out.step;
  substitute_transposed(r, slope);
  out.fall = slope.squaredNorm() / out.step.norm();
  return out;
}

Eigen::VectorXd LinearStep::solve(double damping, const Eigen::VectorXd& right) const {
  const auto v = spectrum().v.leftCols(rank_);
  return v * ((v.transpose() * right).array() / (spectrum().s.head(rank_).array().square() + damping)).matrix();
}

LinearStep::Damped LinearStep::best_within(double radius) const {
  if (rank_ == 0 || undamped_.norm() <= radius) return {undamped_, 0, 0};
  // Newton's iteration on 1 / |step|, which is nearly linear in the damping, inside a bracket.
  double low = 0, high = (a_.transpose() * b_).norm() / radius;
  Damped best = damped(0);
  for (int i = 0; i < 50; ++i) {
    const double length = best.step.norm();
    if (std::fabs(length - radius) <= kRadiusShare * radius) break;
    (length > radius ? low : high) = best.damping;
    double damping = best.damping + (length - radius) / radius * length / best.fall;
    if (!(damping > low && damping < high)) damping = low > 0 ? std::sqrt(low * high) : 1e-3 * high;
    best = damped(damping);
  }
  return best;
}

bool LinearStep::with_curvature(const Eigen::MatrixXd& extra, Eigen::VectorXd& step) const {
  if (rank_ == 0) return false;
  // In coordinates t = s V'p the model is t'(I + K)t / 2 + c't: its conditioning is that of the
  // Jacobian and not of its square.
  const auto& [s, c, v] = spectrum();
  const Eigen::MatrixXd w = v.leftCols(rank_) * s.head(rank_).cwiseInverse().asDiagonal();
  const Eigen::MatrixXd model =
      Eigen::MatrixXd::Identity(rank_, rank_) + w.transpose() * extra * w;
  const Eigen::LLT<Eigen::MatrixXd> cholesky(model);
  if (cholesky.info() != Eigen::Success) return false;
  step = -(w * cholesky.solve(c.head(rank_)));
  return step.allFinite();
}

Eigen::VectorXd bounded_step(const Problem& problem, const Eigen::VectorXd& x,
                             const Linearisation& at, const std::vector<int>& unheld,
                             const Eigen::VectorXd& scale, double radius, const LinearStep* whole) {
  const Bounds& bounds = problem.bounds();
  Eigen::VectorXd step = Eigen::VectorXd::Zero(problem.size());
  std::vector<int> moving = unheld;
  // Each pass stops at least one parameter, so that there are no more passes than parameters.
  while (!moving.empty()) {
    const bool all = whole != nullptr && moving.size() == unheld.size();
    LinearStep rest;
    if (!all) rest.set(at.factor, moving, scale, at.projected + at.factor * step);
    const LinearStep& linear = all ? *whole : rest;
    const double left = std::sqrt(std::max(0.0, radius * radius - step.cwiseProduct(scale).squaredNorm()));
    Eigen::VectorXd part = linear.within(left);
    for (std::size_t k = 0; k < moving.size(); ++k) part[k] /= scale[moving[k]];
    if (!bounds.stop_leaving(x, part, moving, step)) break;
  }
  return step;
}

}  // namespace tundrel
