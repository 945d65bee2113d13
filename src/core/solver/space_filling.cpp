#include "space_filling.h"

namespace tundrel {

Eigen::MatrixXd latin_hypercube(int coordinates, int n, Random& random) {
  Eigen::MatrixXd out(coordinates, n);
  for (int i = 0; i < coordinates; ++i) {
    const std::vector<int> slice = random.permutation(n);
    for (int k = 0; k < n; ++k) out(i, k) = (slice[k] + random.uniform()) / n;
  }
  return out;
}

}  // namespace tundrel
