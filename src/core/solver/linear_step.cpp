#include "linear_step.h"

#include <Eigen/Cholesky>
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

// Below this condition number a matrix is clearly not singular.
constexpr double kClearlyRegular = 1e8;

// The undamped step where the matrix is a small triangle, as linearise() gives it, and clearly regular: its condition
// number is at most the product of the Frobenius norms of triangle and inverse. FALSE where singular values have to tell.
bool solve_triangle(const Eigen::MatrixXd& matrix, const Eigen::VectorXd& b, Eigen::VectorXd& step) {
  const Eigen::Index n = matrix.cols();
  if (n > kSmall || matrix.rows() != n) return false;
  double square = 0, inverse_square = 0;
  for (Eigen::Index j = 0; j < n; ++j) {
    for (Eigen::Index i = j + 1; i < n; ++i)
      if (matrix(i, j) != 0) return false;
    // Column j of the inverse, from its end.
    double column[kSmall];
    for (Eigen::Index i = j; i >= 0; --i) {
      double x = i == j ? 1 : 0;
      for (Eigen::Index k = i + 1; k <= j; ++k) x -= matrix(i, k) * column[k];
      column[i] = x / matrix(i, i);
      square += matrix(i, j) * matrix(i, j);
      inverse_square += column[i] * column[i];
    }
  }
  if (!(square * inverse_square < kClearlyRegular * kClearlyRegular)) return false;
  step.resize(n);
  for (Eigen::Index i = n - 1; i >= 0; --i) {
    double x = -b[i];
    for (Eigen::Index k = i + 1; k < n; ++k) x -= matrix(i, k) * step[k];
    step[i] = x / matrix(i, i);
  }
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
  const auto n = static_cast<Eigen::Index>(columns.size());
  if (a_.rows() != matrix.rows() || a_.cols() != n) a_.resize(matrix.rows(), n);
  for (Eigen::Index k = 0; k < n; ++k) {
    const double* from = matrix.data() + columns[k] * matrix.rows();
    const double share = 1 / scale[columns[k]];
    for (Eigen::Index i = 0; i < a_.rows(); ++i) a_(i, k) = from[i] * share;
  }
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
  damp(0);
  undamped_ = damped_.step;
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

void LinearStep::damp(double damping) const {
  if (by_substitution_) return damp_triangle(damping);
  const auto& [s_all, c, v] = spectrum();
  const auto s = s_all.head(rank_).array();
  const Eigen::ArrayXd denominator = s.square() + damping;
  const Eigen::VectorXd part = s * c.head(rank_).array() / denominator;
  damped_ = {-(v.leftCols(rank_) * part), damping, (part.array().square() / denominator).sum() / part.norm()};
}

// Each row of the damping, a multiple of a unit vector, is turned to zero by rotations with the triangle's rows.
void LinearStep::damp_triangle(double damping) const {
  const Eigen::Index n = a_.cols();
  double r[kSmall][kSmall], z[kSmall];  // the triangle's rows, and what is on the right of them
  for (Eigen::Index i = 0; i < n; ++i) {
    for (Eigen::Index j = i; j < n; ++j) r[i][j] = a_(i, j);
    z[i] = b_[i];
  }
  for (Eigen::Index k = 0; damping > 0 && k < n; ++k) {
    double row[kSmall] = {};
    row[k] = std::sqrt(damping);
    double right = 0;
    for (Eigen::Index j = k; j < n; ++j) {
      // Squares do not over- or underflow: a triangle for which they would is not taken for clearly regular.
      const double length = std::copysign(std::sqrt(r[j][j] * r[j][j] + row[j] * row[j]), r[j][j]);
      const double c = r[j][j] / length, s = row[j] / length;
      r[j][j] = length;
      for (Eigen::Index i = j + 1; i < n; ++i) {
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
  damped_.step.resize(n);
  double length_square = 0, fall = 0;
  for (Eigen::Index i = n - 1; i >= 0; --i) {
    double x = -z[i];
    for (Eigen::Index k = i + 1; k < n; ++k) x -= r[i][k] * damped_.step[k];
    damped_.step[i] = x / r[i][i];
    length_square += damped_.step[i] * damped_.step[i];
  }
  // How fast: the square of the inverse triangle, transposed, times the step.
  double slope[kSmall];
  for (Eigen::Index i = 0; i < n; ++i) {
    double x = damped_.step[i];
    for (Eigen::Index k = 0; k < i; ++k) x -= r[k][i] * slope[k];
    slope[i] = x / r[i][i];
    fall += slope[i] * slope[i];
  }
  damped_.fall = fall / std::sqrt(length_square);
}

Eigen::VectorXd LinearStep::solve(double damping, const Eigen::VectorXd& right) const {
  const auto v = spectrum().v.leftCols(rank_);
  return v * ((v.transpose() * right).array() / (spectrum().s.head(rank_).array().square() + damping)).matrix();
}

const Eigen::VectorXd& LinearStep::within(double radius) const {
  if (rank_ == 0 || undamped_.norm() <= radius) return undamped_;
  // Newton's iteration on 1 / |step|, which is nearly linear in the damping, inside a bracket.
  double low = 0, high = a_.transpose().lazyProduct(b_).norm() / radius;
  damp(0);
  for (int i = 0; i < 50; ++i) {
    const double length = damped_.step.norm();
    if (std::fabs(length - radius) <= kRadiusShare * radius) break;
    (length > radius ? low : high) = damped_.damping;
    double damping = damped_.damping + (length - radius) / radius * length / damped_.fall;
    if (!(damping > low && damping < high)) damping = low > 0 ? std::sqrt(low * high) : 1e-3 * high;
    damp(damping);
  }
  return damped_.step;
}

double LinearStep::damping_within(double radius) const { return &within(radius) == &undamped_ ? 0 : damped_.damping; }

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
