// What may be asked of a sum of squares whose rows fall into groups, each with parameters that no other group has.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <vector>

#include "squares.h"

namespace tundrel {

// All groups have the same model, and each reads its parameters from places of its own in those of the whole problem. A place from
// which one group alone reads is its own; the others are shared.
struct Grouping {
  Grouping(std::vector<std::int64_t> first, Eigen::MatrixXi place, int size);

  int count() const { return static_cast<int>(place.cols()); }
  // What the model of group k reads of a vector for the whole problem.
  Eigen::VectorXd of_group(const Eigen::VectorXd& x, int k) const;
  bool is_shared(int i, int k) const { return shared_rank[static_cast<std::size_t>(place(i, k))] >= 0; }

  std::vector<std::int64_t> first;       // the rows of group k are those from first[k] up to first[k + 1]
  Eigen::MatrixXi place;         // of the model's parameters, a column a group
  std::vector<int> shared;       // places, rising
  std::vector<int> shared_rank;  // of each place: which of the shared ones it is, or -1
};

// The Jacobian has the shape of an arrow: blocks of the groups' own parameters, and beside them columns of the shared ones.
class Arrow {
 public:
  virtual ~Arrow() = default;
  virtual const Grouping& grouping() const = 0;
  // Each group's residuals, in the parameters of its model. Counts as one evaluation; FALSE where the point is refused.
  virtual bool linearise_groups(const Eigen::VectorXd& x, std::vector<Linearisation>& at) = 0;
  // Sum of residual times second derivatives of the residual over group k; FALSE where it cannot be had.
  virtual bool curvature_of_group(const Eigen::VectorXd& x, int k, Eigen::MatrixXd& curvature) = 0;
};

}  // namespace tundrel
