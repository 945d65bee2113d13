// A compiled model fitted to columns by least squares.
#pragma once
#include <memory>

#include "../expression/program.h"
#include "squares.h"
#include "sweep.h"
#include "triangular_factor.h"

namespace tundrel {

class LeastSquaresProblem : public SquaresProblem {
 public:
  // `residual` and `weighted_response` are nodes of `graph`, whose parameters are the free ones.
  LeastSquaresProblem(Graph graph, int residual, int weighted_response, Columns columns,
                      Bounds bounds, int threads);

  int size() const override { return static_cast<int>(bounds_.lower.size()); }
  const Bounds& bounds() const override { return bounds_; }
  double value(const Eigen::VectorXd& x) override;
  void expect(const Eigen::VectorXd& typical) override { bounds_.typical = typical; }
  std::unique_ptr<Problem> clone() const override { return cloned(*this); }
  bool halts_midway() const override { return Sweep::is_long(Segments(columns_.rows)); }
  bool read(const Columns& columns) override {
    columns_ = columns;
    response_norm_ = -1;
    looked_ = false;
    return true;
  }
  void linearise_into(const Eigen::VectorXd& x, Linearisation& at) override;
  bool residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) override;
  bool bend_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, Eigen::VectorXd& bend) override;
  double response_norm() override;
  std::vector<int> linear_parameters() override;

 private:
  // Finds value and triangle, and the curvature with them where it is expected.
  void look_at(const Eigen::VectorXd& x);
  void make_curvature_programs();
  void add_curvature(const Program::Workspace& block, int residual, int segment, int n);
  void finish_curvature();
  // Sum over rows of the square of the program's first output.
  double sum_of_squares(const Program& program, const Eigen::VectorXd& x);

  Graph graph_;
  int residual_;
  Columns columns_;
  Bounds bounds_;
  Program value_program_, jacobian_program_, response_program_;
  // Made when first asked for: of residual and second derivatives, the same after the first derivatives, and of both kinds of these.
  std::shared_ptr<const Program> curvature_program_, look_and_curvature_program_, bend_program_;
  std::vector<int> curved_;  // which second derivatives are not zero everywhere: places in their list
  double response_norm_ = -1;
  Sweep sweep_;
  Eigen::VectorXd sums_;  // of the segments; kept, as the next, for its memory
  std::vector<TriangularFactor> factors_;
  // What was found last, and where: who verifies an answer, or takes Newton's step, asks for it once more.
  bool looked_ = false, curvature_known_ = false;
  Eigen::VectorXd latest_;
  double latest_value_ = 0;
  Eigen::MatrixXd curvature_, curvature_sums_;
};

}  // namespace tundrel
