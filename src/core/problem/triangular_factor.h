// A matrix with many rows, kept only as the triangle of its QR decomposition.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace tundrel {

// Rows are added in blocks; each block is folded into the triangle by Householder reflections and
// dropped (Golub and Van Loan, Matrix Computations, on updating factorisations). Memory does not
// grow with rows, and the accuracy is that of QR on the whole matrix.
class TriangularFactor {
 public:
  TriangularFactor(int n_columns, int block_rows) { clear(n_columns, block_rows); }

  // Begins anew, in the memory that is there where it suffices.
  void clear(int n_columns, int block_rows);

  // Folds in a block of n rows, which is given by where each of its columns begins, and is left as it is.
  void fold(const double* const* columns, int n);
  void fold(const TriangularFactor& other);

  const Eigen::MatrixXd& triangle() const { return triangle_; }

 private:
  Eigen::MatrixXd triangle_, reflected_;
  std::vector<double*> places_;  // where the columns of `reflected_` begin
  Eigen::VectorXd shares_, products_;
};

}  // namespace tundrel
