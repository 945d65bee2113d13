#include "linear_step.h"

#include <Eigen/Cholesky>
#include <Eigen/SVD>
#include <cmath>
#include <limits>
#include <utility>

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

// The undamped step where the matrix is a small triangle, as linearise() gives it, and clearly regular: its condition
// number is at most the product of the Frobenius norms of triangle and inverse. FALSE where singular values have to tell.
bool solve_triangle(const Eigen::MatrixXd& matrix, const Eigen::VectorXd& b, Eigen::VectorXd& step) {
  const Eigen::Index n = matrix.cols();
  if (n > kSmall || matrix.rows() != n || !matrix.isUpperTriangular(0)) return false;
  double inverse_square = 0;
  for (Eigen::Index j = 0; j < n; ++j) {
    SmallVector column = SmallVector::Unit(j + 1, j);
    matrix.topLeftCorner(j + 1, j + 1).triangularView<Eigen::Upper>().solveInPlace(column);
    inverse_square += column.squaredNorm();
  }
  if (!(matrix.squaredNorm() * inverse_square < kClearlyRegular * kClearlyRegular)) return false;
  step = -b;
  matrix.triangularView<Eigen::Upper>().solveInPlace(step);
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

LinearStep::LinearStep(Eigen::MatrixXd a, const Eigen::VectorXd& b) : a_(std::move(a)), b_(b) {
  if (a_.cols() == 0) return;
  if (solve_triangle(a_, b_, undamped_)) {
    rank_ = static_cast<int>(a_.cols());
    reducible_ = b_.norm();
    return;
  }
  const Eigen::VectorXd& s = spectrum().s;
  const double floor = 10 * static_cast<double>(a_.cols()) * kEpsilon * s[0];
  while (rank_ < s.size() && s[rank_] > floor) ++rank_;
  reducible_ = spectrum().c.head(rank_).norm();
  undamped_ = damped(0);
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

Eigen::VectorXd LinearStep::within(double radius) const {
  const double damping = damping_within(radius);
  return damping > 0 ? damped(damping) : undamped_;
}

Eigen::VectorXd LinearStep::damped(double damping) const {
  const auto& [s_all, c, v] = spectrum();
  const auto s = s_all.head(rank_).array();
  return -(v.leftCols(rank_) * (s * c.head(rank_).array() / (s.square() + damping)).matrix());
}

Eigen::VectorXd LinearStep::solve(double damping, const Eigen::VectorXd& right) const {
  const auto v = spectrum().v.leftCols(rank_);
  return v * ((v.transpose() * right).array() / (spectrum().s.head(rank_).array().square() + damping)).matrix();
}

double LinearStep::damping_within(double radius) const {
  if (rank_ == 0 || undamped_.norm() <= radius) return 0;
  // Newton's iteration on 1 / |step|, which is nearly linear in the damping, inside a bracket.
  const auto s = spectrum().s.head(rank_).array();
  const auto s2 = s.square();
  const Eigen::ArrayXd sc = s * spectrum().c.head(rank_).array();
  double low = 0, high = sc.matrix().norm() / radius;
  double damping = 0;
  for (int i = 0; i < 50; ++i) {
    const Eigen::ArrayXd denominator = s2 + damping;
    const Eigen::ArrayXd part = sc / denominator;
    const double length = part.matrix().norm();
    if (std::fabs(length - radius) <= kRadiusShare * radius) break;
    (length > radius ? low : high) = damping;
    const double slope = (part.square() / denominator).sum() / length;
    damping += (length - radius) / radius * length / slope;
    if (!(damping > low && damping < high)) damping = low > 0 ? std::sqrt(low * high) : 1e-3 * high;
  }
  return damping;
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

Eigen::MatrixXd scaled_columns(const Eigen::MatrixXd& matrix, const std::vector<int>& columns,
                               const Eigen::VectorXd& scale) {
  Eigen::MatrixXd out(matrix.rows(), columns.size());
  for (std::size_t k = 0; k < columns.size(); ++k)
    out.col(k) = matrix.col(columns[k]) / scale[columns[k]];
  return out;
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
    if (!all) rest = LinearStep(scaled_columns(at.factor, moving, scale), at.projected + at.factor * step);
    const LinearStep& linear = all ? *whole : rest;
    const double left = std::sqrt(std::max(0.0, radius * radius - step.cwiseProduct(scale).squaredNorm()));
    Eigen::VectorXd part = linear.within(left);
    for (std::size_t k = 0; k < moving.size(); ++k) part[k] /= scale[moving[k]];
    if (!bounds.stop_leaving(x, part, moving, step)) break;
  }
  return step;
}

}  // namespace tundrel
