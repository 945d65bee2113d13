#include "row_model_squares.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

namespace tundrel {
RowModelSquares::RowModelSquares(std::unique_ptr<RowModel> model, Eigen::VectorXd readings, Eigen::VectorXd root_weights, Bounds bounds,
                                 double response_norm)
    : model_(std::move(model)), readings_(std::move(readings)), root_weights_(std::move(root_weights)),
      bounds_(std::move(bounds)), response_norm_(response_norm) {
  model_->met = [this](const Eigen::VectorXd& x, const Eigen::VectorXd& values) {
    const double norm = residuals_of(values).norm();
    latest_norm_ = norm;
    note_met(x, norm * norm);
  };
}

std::unique_ptr<Problem> RowModelSquares::clone() const {
  auto model = model_->clone();
  if (!model) return nullptr;
  auto out = std::make_unique<RowModelSquares>(std::move(model), readings_, root_weights_, bounds_, response_norm_);
  out->joint = joint;
  out->box = box;
  return out;
}

template <class Use>
bool RowModelSquares::for_blocks(const Eigen::VectorXd& x, int order, const Use& use) {
  if (!model_->begin(x, order, differences(), work)) return false;
  const int p = size(), outputs = order == 0 ? 1 : order == 1 ? 1 + p : 1 + p + p * (p + 1) / 2;
  std::vector<Eigen::ArrayXd> columns;
  std::vector<const double*> places(outputs);
  for (std::int64_t first = 0; first < model_->rows(); first += kBlockRows) {
    const int n = static_cast<int>(std::min<std::int64_t>(kBlockRows, model_->rows() - first));
    const double* const* given = model_->block(first, n);
    if (readings_.size() == 0) {
      use(given, n);
      continue;
    }
    columns.resize(outputs);
    const Eigen::ArrayXd weight = root_weights_.size() > 0 ? Eigen::ArrayXd(root_weights_.segment(first, n)) : Eigen::ArrayXd::Ones(n);
    for (int k = 0; k < outputs; ++k) {
      const Eigen::Map<const Eigen::ArrayXd> one(given[k], n);
      columns[k] = k == 0 ? Eigen::ArrayXd(weight * (readings_.segment(first, n).array() - one)) : Eigen::ArrayXd(-weight * one);
      places[k] = columns[k].data();
    }
    use(places.data(), n);
  }
  return true;
}

double RowModelSquares::value(const Eigen::VectorXd& x) {
  if (!calls_user()) ++work.evaluations;
  double sum = 0;
  const bool usable = for_blocks(x, 0, [&](const double* const* columns, int n) { sum += Eigen::Map<const Eigen::VectorXd>(columns[0], n).squaredNorm(); });
  if (!usable || !std::isfinite(sum)) {
    if (!calls_user()) ++work.refused;
    return std::numeric_limits<double>::infinity();
  }
  return sum;
}

void RowModelSquares::linearise_into(const Eigen::VectorXd& x, Linearisation& at) {
  if (!calls_user()) ++work.evaluations;
  at = Linearisation();
  const int p = size();
  TriangularFactor factor(p + 1, static_cast<int>(std::min<std::int64_t>(kBlockRows, model_->rows())));
  std::vector<const double*> places(p + 1);
  double sum = 0;
  const bool usable = for_blocks(x, 1, [&](const double* const* columns, int n) {
    std::copy(columns + 1, columns + 1 + p, places.begin());
    places[p] = columns[0];
    sum += Eigen::Map<const Eigen::VectorXd>(columns[0], n).squaredNorm();
    factor.fold(places.data(), n);
  });
  if (!usable) return;
  at.set(sum, factor.triangle());
  if (!at.usable && !calls_user()) ++work.refused;
}

Eigen::VectorXd RowModelSquares::residuals_of(const Eigen::VectorXd& given) const {
  if (readings_.size() != given.size()) return given;
  return root_weights_.size() == 0 ? Eigen::VectorXd(readings_ - given) : Eigen::VectorXd(root_weights_.cwiseProduct(readings_ - given));
}

bool RowModelSquares::rows(const Eigen::VectorXd& x, Eigen::VectorXd& residuals, Eigen::MatrixXd* jacobian) {
  if (!calls_user()) ++work.evaluations;
  const int p = size();
  residuals.resize(model_->rows());
  if (jacobian) jacobian->resize(model_->rows(), p);
  std::int64_t first = 0;
  const bool usable = for_blocks(x, jacobian ? 1 : 0, [&](const double* const* columns, int n) {
    residuals.segment(first, n) = Eigen::Map<const Eigen::VectorXd>(columns[0], n);
    for (int j = 0; jacobian && j < p; ++j) jacobian->col(j).segment(first, n) = Eigen::Map<const Eigen::VectorXd>(columns[1 + j], n);
    first += n;
  });
  return usable && residuals.allFinite() && (!jacobian || jacobian->allFinite());
}

bool RowModelSquares::residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) {
  if (!model_->exact()) return false;
  const int p = size();
  curvature.setZero(p, p);
  const bool usable = for_blocks(x, 2, [&](const double* const* columns, int n) {
    const Eigen::Map<const Eigen::VectorXd> residual(columns[0], n);
    for (int i = 0, k = 1 + p; i < p; ++i)
      for (int j = 0; j <= i; ++j, ++k) curvature(i, j) += residual.dot(Eigen::Map<const Eigen::VectorXd>(columns[k], n));
  });
  curvature = Eigen::MatrixXd(curvature.selfadjointView<Eigen::Lower>());
  return usable && curvature.allFinite();
}

bool RowModelSquares::verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) {
  noise.resize(0, 0);
  if (model_->exact()) return residual_curvature(x, curvature);
  Eigen::VectorXd weights(model_->rows());
  std::int64_t first = 0;
  // The derivatives of the residuals are those of the values times -weight, where there are readings.
  const bool usable = for_blocks(x, 0, [&](const double* const* columns, int n) {
    weights.segment(first, n) = Eigen::Map<const Eigen::VectorXd>(columns[0], n);
    first += n;
  });
  if (!usable) return false;
  const double norm = weights.norm();
  if (readings_.size() > 0) weights = root_weights_.size() > 0 ? Eigen::VectorXd(-weights.cwiseProduct(root_weights_)) : Eigen::VectorXd(-weights);
  return model_->second_along(x, weights, bounds_.precision * norm * std::max(response_norm_, norm), differences(), work, curvature, noise);
}

double RowModelSquares::column_noise(const Eigen::VectorXd& x, int i) {
  return model_->exact() ? 0 : model_->slope_noise(x, i, bounds_.precision * std::max(response_norm_, latest_norm_), differences());
}

}  // namespace tundrel
