// Curves that vary about a common one: the likelihood of each curve's readings, averaged over what its own parameters may be. Around the
// likeliest ones the average is taken by Gauss-Hermite quadrature, with one node by Laplace's method (Pinheiro and Bates 1995, Journal of
// Computational and Graphical Statistics 4, 12-35). Gradients are exact: nodes move with the parameters, and third derivatives of the
// loss say how.
#pragma once
#include <cstdint>
#include <memory>
#include <vector>

#include "../criterion/row_loss.h"
#include "../expression/program.h"
#include "kinks.h"
#include "problem.h"

namespace tundrel {

// Rows of the table by curve: those of curve k are order[first[k]] up to order[first[k + 1] - 1].
struct CurveRows {
  std::vector<std::int64_t> order, first;
  int count() const { return static_cast<int>(first.size()) - 1; }
};

// What each curve's own variables are likely to be.
struct CurveModes {
  Eigen::MatrixXd at;      // a column a curve
  Eigen::MatrixXd spread;  // lower triangle of their covariance, row by row, a column a curve
  Eigen::VectorXd value;   // minus the logarithm of each curve's averaged likelihood
};

// For restricted likelihood: slopes of the rows' own curves at some point, a row a row of the table, and nodes for what is estimated of the noise.
struct CurveSlopes {
  Eigen::MatrixXd common, own;  // in the common parameters; in the errors of a curve's own ones
  std::vector<int> root;        // nodes of the triangle that makes these errors from variables of variance one, row by row
  int log_sd = -1;              // of a reading, where the slopes were taken
};

class VaryingCurves : public Problem, public RowSlopes {
 public:
  // Adds what the common parameters take away from the noise: half the logarithm of the determinant of their information (Harville 1977).
  void restrict_to(Graph graph, const CurveSlopes& slopes);

  // `loss` is minus a log density, in which the first parameters are the free ones and the next `own` are a curve's variables: each is normal
  // with variance one beforehand. `nodes` in each variable.
  VaryingCurves(Graph graph, int loss, int own, int nodes, Columns columns, CurveRows rows, Bounds bounds);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  std::unique_ptr<Problem> clone() const override { return cloned(*this); }
  bool read(const Columns& columns) override;
  double value(const Eigen::VectorXd& x) override;
  Slope slope(const Eigen::VectorXd& x) override;
  // Second derivatives by differences of the exact gradient.
  Expansion expand(const Eigen::VectorXd& x) override;
  double value_unit(const Expansion&) override { return 1; }
  RowSlopes* row_slopes() override { return this; }
  Eigen::MatrixXd expected_factor(const Eigen::VectorXd&) override { return {}; }
  // Of the curves.
  Eigen::MatrixXd slopes_factor(const Eigen::VectorXd& x) override;
  bool spread_of_slopes() override { return false; }

  CurveModes modes(const Eigen::VectorXd& x);

 private:
  // A curve's likeliest variables, with the loss there.
  struct Mode {
    bool usable = false;
    double value = 0;
    Eigen::VectorXd at;
    Eigen::MatrixXd bend;  // second derivatives in the variables
  };
  struct Worker;

  int pairs() const { return own_ * (own_ + 1) / 2; }
  // Downhill from `from`.
  Mode mode_of(Worker& worker, const Eigen::VectorXd& x, int k, const Eigen::VectorXd& from) const;
  Eigen::MatrixXd at_nodes(Worker& worker, const Eigen::VectorXd& x, const Columns& columns, const Eigen::MatrixXd& places, bool slopes) const;
  // Minus the logarithm of the averaged likelihood of curve k, and its gradient where `slope` is not null. `mode_at` is where the likeliest variables are
  // looked for first, and then where they are.
  double average(Worker& worker, const Eigen::VectorXd& x, int k, Eigen::Ref<Eigen::VectorXd> mode_at, Eigen::VectorXd* slope) const;
  // What restricted likelihood adds, and its gradient where wanted; 0 without.
  double restriction(const Eigen::VectorXd& x, Eigen::VectorXd* slope) const;
  // Values, and gradients as columns where wanted, of all curves; `modes` as for average(), a column a curve.
  bool all_curves(const Eigen::VectorXd& x, Eigen::VectorXd& values, Eigen::MatrixXd* slopes, Eigen::MatrixXd* modes = nullptr);
  Slope slope_from(const Eigen::VectorXd& x, Eigen::MatrixXd& modes);

  int own_;
  CurveRows rows_;
  Eigen::MatrixXd sorted_;
  Bounds bounds_;
  // The loss with its derivatives in a curve's variables up to order 2; in everything of order 1; and what moves with the mode.
  Program inner_, values_at_nodes_, slopes_at_nodes_, moving_;
  Program restricted_;
  Eigen::MatrixXd common_, own_slopes_;  // in the order of the curves; without columns where nothing is restricted
  Eigen::MatrixXd nodes_;    // places, a column each
  Eigen::VectorXd weights_;  // logarithms, with the density that the nodes are for taken away
};

}  // namespace tundrel
