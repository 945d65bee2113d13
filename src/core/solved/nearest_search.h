// Where a curve is nearest to a reading whose predictors have errors, too: distances are counted in standard deviations, and errors of
// one reading may be correlated. Newton's steps from the best of some places about the reading.
//
// With the errors `e` of the predictors and of the reading in units of their standard deviations, of correlation C, e' C^-1 e is least
// where e is orthogonal to the curve: e = step * C n, of the normal n = (-slopes, 1) of the curve in these units. The distance, which
// has the reading's sign, is n' e over the root of n' C n.
#pragma once
#include <Eigen/Core>
#include <memory>
#include <mutex>
#include <vector>

#include "../expression/program.h"
#include "block_memory.h"

namespace tundrel {

class NearestFunction;

// The curve, as an expression in its predictors, which are the first parameters of `graph`, and of others.
struct Curve {
  Graph graph;
  int node = -1;
  int predictors = 0, others = 0;
};

class NearestSearch : public std::enable_shared_from_this<NearestSearch> {
 public:
  explicit NearestSearch(Curve curve);

  // What is asked of it, in this order: the reading and its standard deviation, the predictors as measured, their standard deviations,
  // correlations between errors (below the diagonal, row by row, the reading last), and what else the curve depends on.
  int reading() const { return 0; }
  int spread() const { return 1; }
  int predictor(int k) const { return 2 + k; }
  int spread_of(int k) const { return 2 + predictors() + k; }
  int correlation(int row, int column) const { return 2 + 2 * predictors() + row * (row - 1) / 2 + column; }
  int other(int k) const { return correlation(predictors() + 1, 0) + k; }
  int inputs() const { return other(curve_.others); }

  // What it finds, in this order: the distance; each predictor's error in its standard deviations; and what one standard deviation of the
  // reading is in the distance.
  static constexpr int kDistance = 0;
  int slope() const { return predictors() + 1; }
  int outputs() const { return predictors() + 2; }

  int predictors() const { return curve_.predictors; }
  const Curve& curve() const { return curve_; }
  void find(const std::vector<Input>& inputs, int output, double* out, int n) const;
  // One of the outputs as a function: the same one whenever it is asked for.
  std::shared_ptr<const NearestFunction> function(int output) const;

 private:
  Eigen::MatrixXd search(const std::vector<Input>& inputs, int n) const;
  template <int Q>
  Eigen::MatrixXd search_by(const std::vector<Input>& inputs, int n) const;

  Curve curve_;
  Program value_, derivatives_;  // over columns: the curve; and with its slopes and second derivatives in the predictors
  mutable BlockMemory memory_;
  mutable std::mutex mutex_;
  mutable std::vector<std::weak_ptr<const NearestFunction>> functions_;
};

}  // namespace tundrel
