#include "value_function_problem.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>

namespace tundrel {
namespace {

std::vector<int> all_places(int n) {
  std::vector<int> out(static_cast<std::size_t>(n));
  std::iota(out.begin(), out.end(), 0);
  return out;
}

// Over a step that is twice as long a smooth function bends four times as far, and one with a kink twice.
constexpr double kBendOfKink = 2.9;
// A bend is one that is so many times rounding; one that shows a kink shows it over steps that are so many times longer, too.
constexpr double kClearBend = 100, kLongerSteps = 10;

}  // namespace

double ValueFunctionProblem::value(const Eigen::VectorXd& x) {
  if (const Call* known = work.known(x)) {
    if (!known->failed) note_met(x, known->value);
    return known->failed ? std::numeric_limits<double>::quiet_NaN() : known->value;
  }
  work.spend();
  const auto began = Evaluation::Clock::now();
  const double found = value_(x);
  work.answered();
  work.keep(x, Eigen::VectorXd::Constant(1, found), began);
  if (!std::isfinite(found)) ++work.refused;
  note_met(x, found);
  return found;
}

Eigen::VectorXd ValueFunctionProblem::gradient(const Eigen::VectorXd& x) {
  work.spend();
  const Eigen::VectorXd found = gradient_(x);
  work.answered();
  return found;
}

Slope ValueFunctionProblem::slope(const Eigen::VectorXd& x) {
  Slope out;
  out.value = value(x);
  if (!std::isfinite(out.value)) return out;
  out.gradient.resize(size());
  const CalledFor derivatives(work, CallReason::derivatives);
  if (gradient_) {
    out.gradient = gradient(x);
  } else {
    const VectorFunction as_vector = [this](const Eigen::VectorXd& at) { return Eigen::VectorXd::Constant(1, value(at)); };
    const Differences kind = sparing ? Differences::central : Differences::fine;
    const Eigen::VectorXd at_x = Eigen::VectorXd::Constant(1, out.value);
    work.call_ahead(difference_points(x, all_places(size()), bounds_, kind));
    for (int i = 0; i < size(); ++i)
      if (!first_difference(as_vector, x, at_x, i, bounds_, kind, out.gradient.segment(i, 1))) return out;
  }
  out.usable = out.gradient.allFinite();
  return out;
}

std::vector<int> ValueFunctionProblem::kinked_along(const Eigen::VectorXd& x) {
  std::vector<int> out;
  if (gradient_ || sparing || !work.log) return out;
  const double middle = value(x);
  for (int i = 0; i < size(); ++i) {
    // first where slopes were asked for: no further call is made there
    const Eigen::MatrixXd points = difference_points(x, {i}, bounds_, Differences::fine);
    if (points.cols() != 4) continue;
    // two at a step on either side, and two at twice that
    const double shortest = (points.row(i).array() - x[i]).abs().minCoeff();
    const auto kinked = [&](double longer) {
      double once = 0, twice = 0, largest = std::fabs(middle);
      for (Eigen::Index k = 0; k < 4; ++k) {
        const Eigen::VectorXd there = longer > 1 ? Eigen::VectorXd(x + longer * (points.col(k) - x)) : Eigen::VectorXd(points.col(k));
        if (there[i] < bounds_.lower[i] || there[i] > bounds_.upper[i]) return false;
        const double now = value(there);
        (std::fabs(points(i, k) - x[i]) < 1.5 * shortest ? once : twice) += now - middle;
        largest = std::max(largest, std::fabs(now));
      }
      return std::fabs(once) > kClearBend * bounds_.precision * largest && std::fabs(twice) < kBendOfKink * std::fabs(once);
    };
    if (kinked(1) && kinked(kLongerSteps)) out.push_back(i);
  }
  return out;
}

Expansion ValueFunctionProblem::expand(const Eigen::VectorXd& x) {
  const int p = size();
  if (sparing && !gradient_ && std::isfinite(value(x))) {
    // all at once: first differences call at points among these
    const CalledFor derivatives(work, CallReason::derivatives);
    work.call_ahead(sparing_second_points(x, bounds_));
  }
  const Slope at = slope(x);
  Expansion out;
  out.value = at.value;
  out.gradient = at.gradient;
  out.hessian.resize(p, p);
  if (!at.usable) return out;
  const CalledFor derivatives(work, CallReason::derivatives);
  if (gradient_) {
    out.hessian_noise.resize(p, p);
    const VectorFunction slopes = [this](const Eigen::VectorXd& at) { return gradient(at); };
    for (int i = 0; i < p; ++i) {
      if (!first_difference(slopes, x, out.gradient, i, bounds_, Differences::fine, out.hessian.col(i))) return out;
      out.hessian_noise.col(i).setConstant(first_difference_noise(x, i, bounds_, bounds_.precision * out.gradient.cwiseAbs().maxCoeff(), Differences::fine));
    }
    out.hessian = 0.5 * (out.hessian + out.hessian.transpose()).eval();
  } else {
    double rounding = 0;
    const auto second = sparing ? sparing_second_differences : second_differences;
    if (!second([&](const Eigen::VectorXd& to) { return value(to); }, x, bounds_, rounding, out.hessian, out.hessian_noise)) return out;
    // what is coarser than rounding hides slopes, but excuses none
    const double finest = rounding * std::numeric_limits<double>::epsilon() / bounds_.precision;
    out.gradient_noise.resize(p);
    for (int i = 0; i < p; ++i) out.gradient_noise[i] = first_difference_noise(x, i, bounds_, finest, sparing ? Differences::central : Differences::fine);
  }
  out.usable = out.hessian.allFinite();
  return out;
}

}  // namespace tundrel
