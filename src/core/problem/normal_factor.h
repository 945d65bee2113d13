// A matrix with many rows, kept only as the products of its columns with each other.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace tundrel {

// Half the work of a TriangularFactor, whose triangle comes from these products by Cholesky decomposition. It is as good
// but for the square of the condition number (Golub and Van Loan, Matrix Computations, on normal equations): not for
// columns that depend on each other nearly.
class NormalFactor {
 public:
  // Begins anew, in the memory that is there where it suffices.
  void clear(int n_columns);

  // Adds a block of n rows, which is given by where each of its columns begins.
  void add(const double* const* columns, int n);
  void add(const NormalFactor& other) { products_ += other.products_; }

  // Of the last column.
  double square() const { return products_(products_.rows() - 1, products_.cols() - 1); }

  bool is_finite() const { return products_.allFinite(); }

  // FALSE where one of the columns but the last is nearly a sum of those before it, or nothing.
  bool triangle(Eigen::MatrixXd& triangle) const;

 private:
  Eigen::MatrixXd products_;  // on and below the diagonal
  std::vector<double> some_;
};

}  // namespace tundrel
