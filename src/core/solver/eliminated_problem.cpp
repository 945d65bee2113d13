#include "eliminated_problem.h"

#include <algorithm>
#include <utility>

#include "start_search.h"

namespace tundrel {

EliminatedProblem::EliminatedProblem(std::unique_ptr<Problem> inner, std::vector<int> linear, Eigen::VectorXd base)
    : inner_(std::move(inner)), linear_(std::move(linear)), base_(std::move(base)) {
  for (int i = 0; i < inner_->size(); ++i)
    if (std::find(linear_.begin(), linear_.end(), i) == linear_.end()) others_.push_back(i);
  bounds_ = inner_->bounds().of(others_);
}

Eigen::VectorXd EliminatedProblem::kept(const Eigen::VectorXd& whole) const {
  Eigen::VectorXd out(others_.size());
  for (std::size_t k = 0; k < others_.size(); ++k) out[k] = whole[others_[k]];
  return out;
}

Eigen::VectorXd EliminatedProblem::whole(const Eigen::VectorXd& x) {
  Eigen::VectorXd all = base_;
  for (std::size_t k = 0; k < others_.size(); ++k) all[others_[k]] = x[k];
  return eliminate_linear(*inner_, all, linear_);
}

double EliminatedProblem::value(const Eigen::VectorXd& x) {
  work.evaluations += 2;  // one for the linear parameters, one for the value
  const double value = inner_->value(whole(x));
  if (!std::isfinite(value)) ++work.refused;
  return value;
}

std::unique_ptr<Problem> EliminatedProblem::clone() const {
  auto inner = inner_->clone();
  if (!inner) return nullptr;
  return std::make_unique<EliminatedProblem>(std::move(inner), linear_, base_);
}

}  // namespace tundrel
