#include "function_model.h"

#include "differences.h"

namespace tundrel {

Eigen::VectorXd FunctionModel::evaluate(const Eigen::VectorXd& x, Evaluation& work) const {
  work.spend();
  Eigen::VectorXd out(rows_);
  values_(x, out);
  work.answered();
  if (!out.allFinite())
    ++work.refused;
  else if (met)
    met(x, out);
  return out;
}

bool FunctionModel::begin(const Eigen::VectorXd& x, int order, bool fine, Evaluation& work) {
  const int p = order > 0 ? size() : 0;
  columns_.assign(1, evaluate(x, work));
  if (!columns_[0].allFinite()) return false;
  columns_.resize(1 + p, Eigen::VectorXd(rows_));
  const VectorFunction values = [&](const Eigen::VectorXd& to) { return evaluate(to, work); };
  for (int j = 0; j < p; ++j)
    if (!first_difference(values, x, columns_[0], j, bounds_, fine, columns_[1 + j])) return false;
  places_.resize(columns_.size());
  return true;
}

const double* const* FunctionModel::block(long first, int) {
  for (std::size_t k = 0; k < columns_.size(); ++k) places_[k] = columns_[k].data() + first;
  return places_.data();
}

double FunctionModel::slope_noise(const Eigen::VectorXd& x, int i, double rounding) const {
  return first_difference_noise(x, i, bounds_, rounding);
}

bool FunctionModel::second_along(const Eigen::VectorXd& x, const Eigen::VectorXd& weights, double rounding, Evaluation& work,
                                 Eigen::MatrixXd& out, Eigen::MatrixXd& noise) {
  return second_differences([&](const Eigen::VectorXd& to) { return weights.dot(evaluate(to, work)); }, x, bounds_, rounding, out, noise);
}

}  // namespace tundrel
