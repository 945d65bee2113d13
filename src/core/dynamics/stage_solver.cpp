#include "stage_solver.h"

#include <Eigen/Eigenvalues>

#include "collocation.h"

namespace tundrel {
namespace {

// Of pairs of conjugate eigenvalues one is enough.
struct Parts {
  std::vector<std::complex<double>> value;
  std::vector<double> weight;
  Eigen::MatrixXcd vectors, inverse;  // a column, and a row, each

  Parts() {
    const Eigen::EigenSolver<Collocation::Matrix> eigen(collocation().integral);
    const Eigen::MatrixXcd all = eigen.eigenvectors(), inverted = all.inverse();
    std::vector<int> kept;
    for (int k = 0; k < kStages; ++k)
      if (eigen.eigenvalues()[k].imag() >= 0) kept.push_back(k);
    vectors.resize(kStages, kept.size());
    inverse.resize(kept.size(), kStages);
    for (std::size_t j = 0; j < kept.size(); ++j) {
      value.push_back(eigen.eigenvalues()[kept[j]]);
      weight.push_back(value.back().imag() > 0 ? 2 : 1);
      vectors.col(j) = all.col(kept[j]);
      inverse.row(j) = inverted.row(kept[j]);
    }
  }
};

const Parts& parts() {
  static const Parts one;
  return one;
}

}  // namespace

void StageSolver::factor(const Eigen::MatrixXd& slope) {
  n_ = slope.rows();
  systems_.resize(parts().value.size());
  for (std::size_t k = 0; k < systems_.size(); ++k) {
    Eigen::MatrixXcd matrix = -parts().value[k] * slope.cast<std::complex<double>>();
    matrix.diagonal().array() += 1.0;
    systems_[k].compute(matrix);
  }
}

void StageSolver::solve(Eigen::MatrixXd& right) const {
  const Parts& p = parts();
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(right.rows(), right.cols());
  Eigen::MatrixXcd one(n_, right.cols());
  for (std::size_t k = 0; k < systems_.size(); ++k) {
    one.setZero();
    for (int i = 0; i < kStages; ++i) one += p.inverse(k, i) * right.middleRows(i * n_, n_).cast<std::complex<double>>();
    const Eigen::MatrixXcd solved = systems_[k].solve(one);
    for (int i = 0; i < kStages; ++i) out.middleRows(i * n_, n_) += p.weight[k] * (p.vectors(i, k) * solved).real();
  }
  right.swap(out);
}

}  // namespace tundrel
