#include "problem.h"

#include <algorithm>
#include <cmath>

#include "../threads.h"
#include "halted.h"

namespace tundrel {
namespace {

// A point that misses a condition by more than this is not one that holds it but for rounding.
constexpr double kMissAllowed = 1e-8;

}  // namespace

void Linearisation::set(double value, const Eigen::MatrixXd& triangle) {
  const Eigen::Index p = triangle.cols() - 1;
  // What is not finite in a column has reached its diagonal element, as the whole column's length does.
  usable = std::isfinite(value);
  for (Eigen::Index j = 0; j < p; ++j) usable = usable && std::isfinite(triangle(j, j));
  this->value = usable ? value : std::numeric_limits<double>::infinity();
  if (!usable) return;
  if (factor.rows() != p || factor.cols() != p) factor.resize(p, p);
  projected.resize(p);
  for (Eigen::Index j = 0; j < p; ++j) {
    for (Eigen::Index i = 0; i < p; ++i) factor(i, j) = triangle(i, j);
    projected[j] = triangle(j, p);
  }
  remainder = std::fabs(triangle(p, p));
}

// Loops, since for the few parameters of most problems Eigen's products take longer to begin than to do.
void Linearisation::column_norms(Eigen::VectorXd& norms) const {
  norms.resize(factor.cols());
  for (Eigen::Index j = 0; j < factor.cols(); ++j) {
    double square = 0;
    for (Eigen::Index i = 0; i <= j; ++i) square += factor(i, j) * factor(i, j);
    norms[j] = std::sqrt(square);
  }
}

void Linearisation::slope(Eigen::VectorXd& slope) const {
  slope.resize(factor.cols());
  for (Eigen::Index j = 0; j < factor.cols(); ++j) {
    double sum = 0;
    for (Eigen::Index i = 0; i <= j; ++i) sum += factor(i, j) * projected[i];
    slope[j] = sum;
  }
}

double Linearisation::promised(const Eigen::VectorXd& step) const {
  double sum = 0;
  for (Eigen::Index i = 0; i < factor.rows(); ++i) {
    double left = projected[i];
    for (Eigen::Index j = i; j < factor.cols(); ++j) left += factor(i, j) * step[j];
    sum += projected[i] * projected[i] - left * left;
  }
  return sum;
}

Slope Problem::slope(const Eigen::VectorXd& x) {
  if (form() == Form::squares) {
    const Linearisation at = linearise(x);
    if (!at.usable) return {};
    Slope out{true, at.value, {}};
    at.slope(out.gradient);
    out.gradient *= 2;
    return out;
  }
  const Expansion at = expand(x);
  return {at.usable, at.value, at.gradient};
}

Expansion Problem::expand(const Eigen::VectorXd& x) {
  Expansion out;
  expect_curvature(true);
  const Linearisation at = linearise(x);
  if (!at.usable) return out;
  Eigen::MatrixXd curvature;
  if (!residual_curvature(x, curvature)) curvature = Eigen::MatrixXd::Zero(size(), size());
  out.usable = true;
  out.value = at.value;
  at.slope(out.gradient);
  out.gradient *= 2;
  out.hessian = 2 * (at.factor.transpose() * at.factor + curvature);
  return out;
}

void Problem::spend() {
  if (is_halted()) throw Halted(Halt::user);
  if (static_cast<double>(evaluations) >= most_evaluations) throw Halted(Halt::evaluations);
  if (out_of_time != std::chrono::steady_clock::time_point::max() && std::chrono::steady_clock::now() >= out_of_time) throw Halted(Halt::seconds);
  ++evaluations;
}

void Problem::answered() const {
  if (is_halted()) throw Halted(Halt::user);
}

void Problem::note_met(const Eigen::VectorXd& x, double value) {
  if (!std::isfinite(value) || !(value < best_value)) return;
  // Differences reach beyond conditions.
  if (joint && !(joint->misses(x).maxCoeff() <= kMissAllowed)) return;
  best_met = x;
  best_value = value;
}

int Problem::affordable(int n) const {
  const double left = most_evaluations - static_cast<double>(evaluations);
  if (calls_user() && !(left >= 1)) throw Halted(Halt::evaluations);
  return static_cast<int>(std::min<double>(n, std::max(1.0, std::floor(left))));
}

Eigen::VectorXd Problem::batched(const Eigen::MatrixXd& points) {
  const int n = affordable(static_cast<int>(points.cols()));
  Eigen::VectorXd out(n);
  int done = 0;
  while (done < n) {
    const int now = std::min(batch_size, n - done);
    out.segment(done, now) = batch(points.middleCols(done, now));
    // what was being evaluated then is evaluated again when the walk goes on
    if (is_halted()) break;
    evaluations += now;
    for (int k = done; k < done + now; ++k) {
      refused += !std::isfinite(out[k]);
      note_met(points.col(k), out[k]);
    }
    done += now;
    if (std::chrono::steady_clock::now() >= deadline) break;
  }
  return out.head(done);
}

Eigen::VectorXd Problem::values(const Eigen::MatrixXd& points) {
  if (batch) return batched(points);
  // Between looks at the clock each thread has some points.
  constexpr int kAtOnce = 8;
  const int n = calls_user() ? affordable(static_cast<int>(points.cols())) : static_cast<int>(points.cols());
  Eigen::VectorXd out(n);
  std::vector<std::unique_ptr<Problem>> helpers;
  for (int k = 1; k < std::min(threads, n); ++k)
    if (auto helper = clone()) helpers.push_back(std::move(helper));
  const int workers = static_cast<int>(helpers.size()) + 1;
  int done = 0;
  while (done < n) {
    const int now = std::min(n - done, workers > 1 ? workers * kAtOnce : 1);
    try {
      share_out(now, workers, [&](int thread, int job) {
        Problem& mine = thread == 0 ? *this : *helpers[thread - 1];
        out[done + job] = mine.value(points.col(done + job));
      });
    } catch (const Halted& stop) {
      // values are given one by one: those before this one are kept
      if (stop.why != Halt::user || !calls_user()) throw;
      break;
    }
    if (is_halted()) break;
    done += now;
    if (std::chrono::steady_clock::now() >= deadline) break;
  }
  for (const auto& helper : helpers) {
    evaluations += helper->evaluations;
    refused += helper->refused;
  }
  return out.head(done);
}

}  // namespace tundrel
