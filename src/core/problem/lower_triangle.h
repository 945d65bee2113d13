// Symmetric matrices kept as their lower triangle, row by row.
#pragma once
#include <Eigen/Core>

namespace tundrel {

inline int pairs(int p) { return p * (p + 1) / 2; }

inline Eigen::MatrixXd from_lower(const double* lower, int p) {
  Eigen::MatrixXd out(p, p);
  for (int i = 0, k = 0; i < p; ++i)
    for (int j = 0; j <= i; ++j, ++k) out(i, j) = out(j, i) = lower[k];
  return out;
}

}  // namespace tundrel
