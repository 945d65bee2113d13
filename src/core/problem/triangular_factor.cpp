#include "triangular_factor.h"

#include <Eigen/QR>
#include <algorithm>

namespace tundrel {

void TriangularFactor::clear(int n_columns, int block_rows) {
  columns_ = n_columns;
  stack_.resize(n_columns + std::max(block_rows, n_columns), n_columns);
  stack_.topRows(columns_).setZero();
}

void TriangularFactor::fold(int n) {
  Eigen::Ref<Eigen::MatrixXd> filled = stack_.topRows(columns_ + n);
  Eigen::HouseholderQR<Eigen::Ref<Eigen::MatrixXd>> in_place(filled);
  stack_.topRows(columns_).triangularView<Eigen::StrictlyLower>().setZero();
}

void TriangularFactor::fold(const TriangularFactor& other) {
  stack_.block(columns_, 0, columns_, columns_) = other.stack_.topRows(columns_);
  fold(columns_);
}

}  // namespace tundrel
