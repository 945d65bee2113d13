// Normal readings whose errors depend on each other, in blocks of rows: by less the further apart they are, or all alike. A common error
// that is followed along each block (a Kalman filter) makes innovations of the residuals, which are independent; so that everything takes
// time linear in rows. Restricted likelihood adds what the curve takes away from the noise (Harville 1977, Journal of the American
// Statistical Association 72, 320-338), with the slopes of the curve at some point.
#pragma once
#include <cstdint>
#include <memory>
#include <vector>

#include "../expression/program.h"
#include "jets.h"
#include "kinks.h"
#include "problem.h"

namespace tundrel {

// How rows follow each other: their order, and how far each is from the one before it, in the unit of the range.
struct Sequence {
  static constexpr double kBegins = -1;  // the first of a block
  std::vector<std::int64_t> order;
  std::vector<double> distance;
};

// Nodes of one graph; -1 stands for none.
struct JointNormalNodes {
  int residual = -1;       // in units of its standard deviation, but for a common scale
  int log_sd = -1;         // where standard deviations are to be found, too
  int range = -1;          // distance over which the correlation falls to 1 / e; none where blocks are all alike
  int nugget = -1;         // the share of the variance that each reading has for itself
  int restricted_sd = -1;  // logarithm of the standard deviation where the curve's slopes were taken
};

class JointNormal : public Problem, public RowSlopes {
 public:
  // `scaled`: a common scale of the noise is at its best, and the value is a sum of squares: that of the innovations, times the root of
  // the correlations' determinant, so that it is smallest where the likelihood is largest. Else it is minus the log-likelihood.
  // `slopes`: a row a row of the table, for restricted likelihood; without columns for likelihood.
  JointNormal(Graph graph, JointNormalNodes nodes, Columns columns, Sequence sequence, Eigen::MatrixXd slopes, bool scaled, Bounds bounds);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  std::unique_ptr<Problem> clone() const override { return cloned(*this); }
  bool read(const Columns& columns) override;
  double value(const Eigen::VectorXd& x) override;
  Slope slope(const Eigen::VectorXd& x) override;
  Expansion expand(const Eigen::VectorXd& x) override;
  double value_unit(const Expansion& at) override;
  double least_value() override { return scaled_ ? 0 : Problem::least_value(); }

  RowSlopes* row_slopes() override { return this; }
  Eigen::MatrixXd expected_factor(const Eigen::VectorXd&) override { return {}; }
  // Of the innovations.
  Eigen::MatrixXd slopes_factor(const Eigen::VectorXd& x) override;
  bool spread_of_slopes() override { return false; }

  // The innovations in units of their standard deviations but for a common scale, then their derivatives, a row a row of the table.
  Eigen::MatrixXd innovations(const Eigen::VectorXd& x);

 private:
  using Jet = std::vector<double>;
  // Sums over all rows, with derivatives.
  struct Sums {
    bool usable = true;
    Jet squares, log_spread, log_sd;
    std::vector<Jet> information;  // of the slopes: lower triangle, row by row
  };

  const Program& program(int order);
  // Calls visit(row of the table, innovation, one over its variance) for each row in turn.
  template <class Visit>
  Sums along_rows(const Eigen::VectorXd& x, const Jets& jets, const Visit& visit);
  Jet log_determinant(const std::vector<Jet>& information, const Jets& jets) const;
  // The criterion with its derivatives; empty where it is not finite.
  Jet whole(const Eigen::VectorXd& x, int order);

  Graph graph_;
  std::vector<int> outputs_;  // nodes that there are, with the place of each
  int residual_ = 0, log_sd_ = -1, range_ = -1, nugget_ = -1, restricted_sd_ = -1;
  Sequence sequence_;
  Eigen::MatrixXd slopes_, sorted_;  // slopes and columns in the order of the sequence
  bool scaled_;
  Bounds bounds_;
  Program programs_[3];
  bool made_[3] = {false, false, false};
};

}  // namespace tundrel
