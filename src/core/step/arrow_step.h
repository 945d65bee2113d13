// Steps for sums of squares whose Jacobian has the shape of an arrow.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "../problem/arrow.h"

namespace tundrel {

// The damped Gauss-Newton step in all parameters. Each group is folded into a triangle, its own parameters are eliminated from it, and
// what is left is the group's information on the shared ones; so time and memory grow in proportion to the groups. The same bits
// whatever the number of threads.
class ArrowStep {
 public:
  // Parameters are compared in units of `scale`; those that are `held` stay where they are.
  ArrowStep(const Grouping& grouping, const std::vector<Linearisation>& at, const Eigen::VectorXd& scale, const std::vector<char>& held,
            double damping, int threads);

  // Directions that are not determined get no step.
  const Eigen::VectorXd& step() const { return step_; }
  // Length of the part of the residual that an undamped step can remove.
  double reducible() const { return reducible_; }
  // How many directions the readings leave open: of the shared parameters, and of group k's own.
  int open_shared() const { return open_shared_; }
  int open_of_group(int k) const { return static_cast<int>(groups_[static_cast<std::size_t>(k)].order.size() - groups_[static_cast<std::size_t>(k)].rank()); }
  // Of an undamped step: standard errors per unit of residual standard deviation. Not a number for a held parameter, infinite where an
  // open direction moves it.
  Eigen::VectorXd errors() const;

 private:
  // One group with its own parameters eliminated: own * d_own + cross * d_shared + right = 0 gives these, and `rest` is the group's
  // information on the shared ones. Own parameters stand in the order in which they were eliminated; those beyond the rank are open.
  struct Eliminated {
    Eigen::MatrixXd own, cross, rest;
    Eigen::VectorXd right;
    std::vector<int> order;         // places of its own parameters
    std::vector<int> shared;        // which of the shared ones its model reads
    std::vector<char> open;         // in that order: those that an open direction moves

    std::size_t rank() const { return static_cast<std::size_t>(own.rows()); }
  };

  Eliminated eliminate(const Linearisation& at, int k, double damping) const;
  // Folds what the groups tell into one triangle, and solves it.
  Eigen::VectorXd shared_step(double damping);
  double unit(int place) const;

  const Grouping& grouping_;
  const Eigen::VectorXd& scale_;
  const std::vector<char>& held_;
  std::vector<Eliminated> groups_;
  Eigen::MatrixXd shared_factor_;
  Eigen::VectorXd step_;
  double reducible_ = 0;
  int open_shared_ = 0;
};

}  // namespace tundrel
