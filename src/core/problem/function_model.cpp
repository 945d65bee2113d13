#include "function_model.h"

#include <cstdint>
#include <limits>

#include "differences.h"

namespace tundrel {
namespace {

constexpr double kCoarse = 1e-14;

}  // namespace

Eigen::VectorXd FunctionModel::evaluate(const Eigen::VectorXd& x, Evaluation& work) const {
  const Call* known = work.known(x);
  if (known && (known->failed || known->result.size() == rows_)) {
    Eigen::VectorXd out = known->failed ? Eigen::VectorXd::Constant(rows_, std::numeric_limits<double>::quiet_NaN()) : known->result;
    if (!known->failed && met) met(x, out);
    return out;
  }
  work.spend();
  const auto began = Evaluation::Clock::now();
  Eigen::VectorXd out(rows_);
  values_(x, out);
  work.answered();
  work.keep(x, out, began);
  if (!out.allFinite())
    ++work.refused;
  else if (met)
    met(x, out);
  return out;
}

bool FunctionModel::begin(const Eigen::VectorXd& x, int order, Differences kind, Evaluation& work) {
  const int p = order > 0 ? size() : 0;
  columns_.assign(1, evaluate(x, work));
  if (!columns_[0].allFinite()) return false;
  columns_.resize(1 + p, Eigen::VectorXd::Zero(rows_));
  places_.resize(columns_.size());
  const CalledFor derivatives(work, CallReason::derivatives);
  if (p > 0 && slopes_) {
    const Eigen::MatrixXd own = slopes(x, work);
    if (own.rows() != rows_) return false;
    for (int j : acting_) columns_[1 + j] = own.col(j);
    return true;
  }
  const VectorFunction values = [&](const Eigen::VectorXd& to) { return evaluate(to, work); };
  // the long steps that coarse values need are too far for forward differences
  if (kind == Differences::forward && bounds_.precision > kCoarse) kind = Differences::fine;
  if (p > 0) work.call_ahead(difference_points(x, acting_, bounds_, kind));
  for (int j : acting_)
    if (p > 0 && !first_difference(values, x, columns_[0], j, bounds_, kind, columns_[1 + j])) return false;
  return true;
}

Eigen::MatrixXd FunctionModel::slopes(const Eigen::VectorXd& x, Evaluation& work) const {
  work.spend();
  Eigen::MatrixXd out = slopes_(x);
  work.answered();
  if (out.rows() == rows_ && out.cols() == x.size() && out.allFinite()) return out;
  ++work.refused;
  return {};
}

const double* const* FunctionModel::block(std::int64_t first, int) {
  for (std::size_t k = 0; k < columns_.size(); ++k) places_[k] = columns_[k].data() + first;
  return places_.data();
}

double FunctionModel::slope_noise(const Eigen::VectorXd& x, int i, double rounding, Differences kind) const {
  return slopes_ ? 0 : first_difference_noise(x, i, bounds_, rounding, kind);
}

bool FunctionModel::second_along(const Eigen::VectorXd& x, const Eigen::VectorXd& weights, double rounding, Differences kind,
                                 Evaluation& work, Eigen::MatrixXd& out, Eigen::MatrixXd& noise) {
  const CalledFor derivatives(work, CallReason::derivatives);
  if (slopes_) return second_by_slopes(x, weights, work, out, noise);
  // Only in the parameters that act: of the others there is nothing to find.
  const int n = static_cast<int>(acting_.size());
  Eigen::VectorXd whole = x, part(n);
  for (int k = 0; k < n; ++k) part[k] = x[acting_[k]];
  const auto along = [&](const Eigen::VectorXd& to) {
    for (int k = 0; k < n; ++k) whole[acting_[k]] = to[k];
    return weights.dot(evaluate(whole, work));
  };
  Eigen::MatrixXd found, error;
  if (kind == Differences::central) {
    const Eigen::MatrixXd ahead = sparing_second_points(part, bounds_.of(acting_));
    Eigen::MatrixXd points = x.replicate(1, ahead.cols());
    for (int k = 0; k < n; ++k) points.row(acting_[k]) = ahead.row(k);
    work.call_ahead(points);
  }
  const auto second = kind == Differences::central ? sparing_second_differences : second_differences;
  if (!second(along, part, bounds_.of(acting_), rounding, found, error)) return false;
  out = noise = Eigen::MatrixXd::Zero(size(), size());
  for (int k = 0; k < n; ++k)
    for (int l = 0; l < n; ++l) {
      out(acting_[k], acting_[l]) = found(k, l);
      noise(acting_[k], acting_[l]) = error(k, l);
    }
  return true;
}

bool FunctionModel::second_by_slopes(const Eigen::VectorXd& x, const Eigen::VectorXd& weights, Evaluation& work, Eigen::MatrixXd& out,
                                     Eigen::MatrixXd& noise) {
  const int p = size();
  const VectorFunction along = [&](const Eigen::VectorXd& to) -> Eigen::VectorXd {
    const Eigen::MatrixXd own = slopes(to, work);
    return own.rows() == rows_ ? Eigen::VectorXd(own.transpose() * weights) : Eigen::VectorXd::Constant(p, std::numeric_limits<double>::quiet_NaN());
  };
  const Eigen::VectorXd here = along(x);
  if (!here.allFinite()) return false;
  out = noise = Eigen::MatrixXd::Zero(p, p);
  for (int i : acting_) {
    if (!first_difference(along, x, here, i, bounds_, Differences::fine, out.col(i))) return false;
    noise.col(i).setConstant(first_difference_noise(x, i, bounds_, bounds_.precision * here.cwiseAbs().maxCoeff(), Differences::fine));
  }
  out = 0.5 * (out + out.transpose()).eval();
  return true;
}

}  // namespace tundrel
