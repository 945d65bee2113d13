// Direction sets: lines searched one after the other, from values alone.
#pragma once
#include "brent.h"

namespace tundrel {

// Powell (1964, Computer Journal 7, 155-162), with the direction of the largest fall given up for that of
// the whole cycle (Brent, 1973). One iteration is one cycle. Bounds by ending lines there.
class Powell : public Solver {
 public:
  struct Settings {
    double tolerance = 1e-10;
  };

  explicit Powell(Settings settings) : tolerance_(settings.tolerance) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  const Status& status() const override { return status_; }
  void visit(StateVisitor& visitor) override;

 private:
  // Goes to the lowest point along a direction in the parameters' sizes; returns how far.
  double descend(Problem& problem, const Eigen::VectorXd& direction);

  double tolerance_;
  Status status_;
  Eigen::VectorXd sizes_;
  Eigen::MatrixXd directions_;
  int idle_ = 0;
};

}  // namespace tundrel
