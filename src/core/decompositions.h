// Decompositions of dense matrices. They are made in one file: a compiler takes long over them.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace tundrel {

// Of a symmetric matrix: eigenvalues, rising, and their vectors.
struct SymmetricSpectrum {
  Eigen::VectorXd values;
  Eigen::MatrixXd vectors;
};
SymmetricSpectrum symmetric_spectrum(const Eigen::MatrixXd& matrix);

// A = U S V'. Columns of U as many as there are singular values; of V, where `whole`, as many as A has, and then none of U.
struct SingularValues {
  Eigen::VectorXd values;
  Eigen::MatrixXd u, v;
};
SingularValues singular_values(const Eigen::MatrixXd& matrix, bool whole = false);

// The first n rows of the triangle in A = Q R.
Eigen::MatrixXd qr_triangle(const Eigen::MatrixXd& rows, Eigen::Index n);

// The triangle in A = Q R, where A has at least as many rows as columns, and the part of Q' b that stands beside it in the place of b.
Eigen::MatrixXd triangle_of(const Eigen::MatrixXd& a, Eigen::VectorXd& b);

// A = Q R, with all columns of Q.
struct Orthogonal {
  Eigen::MatrixXd q, r;
};
Orthogonal orthogonal(const Eigen::MatrixXd& matrix);

// The same with the columns in an order in which they matter less and less. Those whose part at right angles to the others is below
// `threshold`, relative to the largest, do not count in the rank. Where there are `others`, they become Q' others.
struct Pivoted {
  Eigen::Index rank = 0;
  std::vector<int> order;
  Eigen::MatrixXd r;
};
Pivoted pivoted(const Eigen::MatrixXd& matrix, double threshold, Eigen::MatrixXd* others = nullptr);
Eigen::Index pivoted_rank(const Eigen::MatrixXd& matrix, double threshold);
// Orthonormal directions at right angles to the columns, as far as these count.
Eigen::MatrixXd complement(const Eigen::MatrixXd& columns, double threshold);

// Answers of A x = b: by pivots, the shortest of the best ones (where singular values below a share of the largest are none: of rounding, or
// of `threshold`), and with a full choice of pivots.
Eigen::VectorXd pivoted_solution(const Eigen::MatrixXd& a, const Eigen::VectorXd& b);
Eigen::VectorXd shortest_solution(const Eigen::MatrixXd& a, const Eigen::VectorXd& b, double threshold = 0);
Eigen::MatrixXd full_pivot_solution(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b);
// For a symmetric A that is positive semidefinite.
Eigen::VectorXd semidefinite_solution(const Eigen::MatrixXd& a, const Eigen::VectorXd& b);
// For an upper triangle, or its transpose.
Eigen::MatrixXd upper_solution(const Eigen::MatrixXd& triangle, const Eigen::MatrixXd& b);
Eigen::MatrixXd lower_solution(const Eigen::MatrixXd& triangle, const Eigen::MatrixXd& b);

// L L' of a symmetric matrix, where it is positive definite.
class Cholesky {
 public:
  Cholesky() = default;
  explicit Cholesky(const Eigen::MatrixXd& matrix) { compute(matrix); }
  // FALSE where there is none.
  bool compute(const Eigen::MatrixXd& matrix);
  bool definite() const { return definite_; }
  Eigen::VectorXd diagonal() const { return factor_.diagonal(); }
  // Half the logarithm of the determinant.
  double half_log_determinant() const { return factor_.diagonal().array().log().sum(); }
  const Eigen::MatrixXd& factor() const { return factor_; }
  Eigen::MatrixXd solve(const Eigen::MatrixXd& b) const;

 private:
  bool definite_ = false;
  Eigen::MatrixXd factor_;
};

}  // namespace tundrel
