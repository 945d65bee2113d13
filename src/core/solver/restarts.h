// When a search that has gathered at a point has searched enough.
#pragma once
#include "population.h"

namespace tundrel {

// Counts how often searches that began anew came back to the best point, or no better one, in a row.
class Restarts {
 public:
  // How much the values of the first points differ, so that values can be called the same.
  void set_range(const std::vector<Merit>& first);
  // `best` is the best of this search, in the cube; `overall` the best of all.
  void ended(const Eigen::VectorXd& best, double value, const Eigen::VectorXd& overall, double overall_value);
  bool agree(int wanted) const { return agreeing_ >= wanted; }
  int count() const { return count_; }
  // In a cube with this many sides.
  void visit(StateVisitor& visitor, Eigen::Index sides);

 private:
  Eigen::VectorXd best_;
  double value_ = 0, range_ = 0;
  int agreeing_ = 0, count_ = 0;
};

}  // namespace tundrel
