#include "linear_step.h"

#include <Eigen/Cholesky>
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

template <class Matrix>
void decompose(const Matrix& a, const Eigen::VectorXd& b, Eigen::VectorXd& s, Eigen::MatrixXd& v, Eigen::VectorXd& c) {
  const Eigen::JacobiSVD<Matrix> svd(a, Eigen::ComputeThinU | Eigen::ComputeThinV);
  s = svd.singularValues();
  v = svd.matrixV();
  c = svd.matrixU().transpose() * b;
}

}  // namespace

LinearStep::LinearStep(const Eigen::MatrixXd& a, const Eigen::VectorXd& b) {
  if (a.cols() == 0) return;
  if (a.rows() <= kSmall && a.cols() <= kSmall)
    decompose<SmallMatrix>(a, b, s_, v_, c_);
  else
    decompose<Eigen::MatrixXd>(a, b, s_, v_, c_);
  const double floor = 10 * static_cast<double>(a.cols()) * kEpsilon * s_[0];
  while (rank_ < s_.size() && s_[rank_] > floor) ++rank_;
}

Eigen::VectorXd LinearStep::damped(double damping) const {
  const auto s = s_.head(rank_).array();
  return -(v_.leftCols(rank_) * (s * c_.head(rank_).array() / (s.square() + damping)).matrix());
}

Eigen::VectorXd LinearStep::solve(double damping, const Eigen::VectorXd& right) const {
  const auto v = v_.leftCols(rank_);
  return v * ((v.transpose() * right).array() / (s_.head(rank_).array().square() + damping)).matrix();
}

double LinearStep::damping_within(double radius) const {
  if (rank_ == 0 || undamped().norm() <= radius) return 0;
  // Newton's iteration on 1 / |step|, which is nearly linear in the damping, inside a bracket.
  const auto s2 = s_.head(rank_).array().square();
  const Eigen::ArrayXd sc = s_.head(rank_).array() * c_.head(rank_).array();
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
  const Eigen::MatrixXd w = v_.leftCols(rank_) * s_.head(rank_).cwiseInverse().asDiagonal();
  const Eigen::MatrixXd model =
      Eigen::MatrixXd::Identity(rank_, rank_) + w.transpose() * extra * w;
  const Eigen::LLT<Eigen::MatrixXd> cholesky(model);
  if (cholesky.info() != Eigen::Success) return false;
  step = -(w * cholesky.solve(c_.head(rank_)));
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
    const Eigen::VectorXd used = step.cwiseProduct(scale);
    const bool all = whole != nullptr && moving.size() == unheld.size();
    const LinearStep linear = all ? *whole : LinearStep(scaled_columns(at.factor, moving, scale), at.projected + at.factor * step);
    const double left = std::isfinite(radius)
                            ? std::sqrt(std::max(0.0, radius * radius - used.squaredNorm()))
                            : radius;
    Eigen::VectorXd part = std::isfinite(radius) ? linear.within(left) : linear.undamped();
    for (std::size_t k = 0; k < moving.size(); ++k) part[k] /= scale[moving[k]];
    const std::vector<int> inside = bounds.stop_leaving(x, moving, part, step);
    if (inside.size() == moving.size()) break;
    moving = inside;
  }
  return step;
}

}  // namespace tundrel
