#include "penalty.h"

#include <vector>

#include "triangular_factor.h"

namespace tundrel {

double Penalty::value(const Eigen::VectorXd& x) {
  ++work.evaluations;
  return terms_->values(x).squaredNorm();
}

void Penalty::linearise_into(const Eigen::VectorXd& x, Linearisation& at) {
  ++work.evaluations;
  const int p = size(), n = terms_->count();
  Eigen::MatrixXd rows(n, p + 1);
  rows << terms_->gradients(x).transpose(), terms_->values(x);
  TriangularFactor factor(p + 1, n);
  std::vector<const double*> places;
  for (int j = 0; j <= p; ++j) places.push_back(rows.col(j).data());
  factor.fold(places.data(), n);
  at.set(rows.col(p).squaredNorm(), factor.triangle());
}

bool Penalty::rows(const Eigen::VectorXd& x, Eigen::VectorXd& residuals, Eigen::MatrixXd* jacobian) {
  ++work.evaluations;
  residuals = terms_->values(x);
  if (jacobian) *jacobian = terms_->gradients(x).transpose();
  return residuals.allFinite() && (!jacobian || jacobian->allFinite());
}

bool Penalty::residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) {
  curvature = terms_->curvature(x, terms_->values(x));
  return curvature.allFinite();
}

bool Penalty::bend_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, Eigen::VectorXd& bend) {
  ++work.evaluations;
  const Eigen::MatrixXd slopes = terms_->gradients(x);
  bend.setZero(size());
  for (int k = 0; k < terms_->count(); ++k) {
    const Eigen::MatrixXd second = terms_->curvature(x, Eigen::VectorXd::Unit(terms_->count(), k));
    bend += slopes.col(k) * direction.dot(second * direction);
  }
  return bend.allFinite();
}

double PenaltyLoss::value(const Eigen::VectorXd& x) {
  ++work.evaluations;
  return 0.5 * terms_->values(x).squaredNorm();
}

Expansion PenaltyLoss::expand(const Eigen::VectorXd& x) {
  ++work.evaluations;
  const Eigen::VectorXd values = terms_->values(x);
  const Eigen::MatrixXd slopes = terms_->gradients(x);
  Expansion out;
  out.value = 0.5 * values.squaredNorm();
  out.gradient = slopes * values;
  out.hessian = slopes * slopes.transpose() + terms_->curvature(x, values);
  out.usable = std::isfinite(out.value) && out.gradient.allFinite() && out.hessian.allFinite();
  return out;
}

}  // namespace tundrel
