// A simplex that reflects, expands, contracts and shrinks: from values alone.
#pragma once
#include "solver.h"

namespace tundrel {

// Nelder and Mead (1965, Computer Journal 7, 308-313), with coefficients that adapt to the number of
// parameters (Gao and Han, 2012, Computational Optimization and Applications 51, 259-277). Corners are kept
// within bounds; of corners that miss conditions between parameters the one that misses less is better, and
// any that misses none is better still (Deb, 2000). A simplex that has collapsed is set up anew around its best
// corner, until that brings nothing.
class NelderMead : public Solver {
 public:
  struct Settings {
    double size = 0.1;        // of the first simplex, as a share of the parameters' sizes
    Eigen::MatrixXd simplex;  // or its corners, a column each
    double tolerance = 1e-10;
  };

  explicit NelderMead(Settings settings) : settings_(std::move(settings)) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  const Eigen::MatrixXd* members() const override { return &corners_; }
  void visit(StateVisitor& visitor) override;

 private:
  struct Corner {
    Eigen::VectorXd x;
    double value, miss;
  };

  Corner corner(Problem& problem, const Eigen::VectorXd& x);
  void set_up(Problem& problem, const Eigen::VectorXd& around, double size);
  Corner at(int k) const { return {corners_.col(k), values_[k], misses_[k]}; }
  void put(int k, const Corner& corner);
  void sort();
  double extent() const;

  Settings settings_;
  Status status_;
  Eigen::MatrixXd corners_;  // best first
  Eigen::VectorXd values_, misses_, sizes_;
  double value_at_restart_ = 0;
  int restarts_ = 0;
};

}  // namespace tundrel
