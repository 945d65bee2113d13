// A matrix with many rows, kept only as the triangle of its QR decomposition.
#pragma once
#include <Eigen/Core>

namespace tundrel {

// Rows are added in blocks; each block is folded into the triangle by Householder reflections and
// dropped (Golub and Van Loan, Matrix Computations, on updating factorisations). Memory does not
// grow with rows, and the accuracy is that of QR on the whole matrix.
class TriangularFactor {
 public:
  TriangularFactor(int n_columns, int block_rows) { clear(n_columns, block_rows); }

  // Begins anew, in the memory that is there where it suffices.
  void clear(int n_columns, int block_rows);

  // Where the caller writes the next block: row i, column j.
  Eigen::MatrixXd::BlockXpr block(int n) { return stack_.block(columns_, 0, n, columns_); }
  void fold(int n);
  void fold(const TriangularFactor& other);

  Eigen::MatrixXd triangle() const { return stack_.topRows(columns_); }

 private:
  int columns_;
  Eigen::MatrixXd stack_;  // the triangle above, room for one block below
};

}  // namespace tundrel
