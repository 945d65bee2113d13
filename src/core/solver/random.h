// Random numbers that are the same on every platform, with a state that can be stored.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <vector>

#include "solver.h"

namespace tundrel {

// xoshiro256** (Blackman and Vigna, 2021, ACM Transactions on Mathematical Software 47, 36), seeded through
// splitmix64. Normal deviates by the polar method of Marsaglia and Bray (1964, SIAM Review 6, 260-264).
class Random {
 public:
  explicit Random(std::uint64_t seed = 1);

  double uniform();           // above 0, below 1
  double normal();
  double cauchy();
  int below(int n);           // 0 .. n - 1
  Eigen::VectorXd normals(int n);
  std::vector<int> permutation(int n);
  void visit(StateVisitor& visitor);

 private:
  std::uint64_t next();
  std::uint64_t state_[4];
};

}  // namespace tundrel
