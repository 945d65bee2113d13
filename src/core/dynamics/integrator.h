// Integrates a system of rates from a beginning on, with the derivatives of its states in the parameters, by Radau's collocation. Where
// a step is short against the system's own times its equations are solved by sweeps, which is an explicit Runge-Kutta method; where
// not, as in stiff systems, by Newton's method, whose matrix is that of one slope for all stages as long as that comes to an end. Which
// of them is chosen step by step. Derivatives solve linear equations with one
// matrix for all parameters, and are those of the numbers that the steps give. Steps depend on the states alone, so that values are
// the same whether derivatives are asked for or not.
#pragma once
#include <Eigen/Core>
#include <functional>
#include <memory>

#include "collocation.h"
#include "rate_system.h"

namespace tundrel {

class Integrator {
 public:
  // Puts what the rates' columns are at a time.
  using ColumnsAt = std::function<void(double time, double* out)>;
  // Weights of the beginning and of the stages, by which what is wanted at a time is found.
  using Weights = Eigen::Matrix<double, kStages + 1, 1>;
  enum class End { arrived, not_finite, too_many_steps };

  // How near the states must come to the truth: roughly, to see how large they become; as near as a search for starts needs; to rounding.
  enum class Care { rough, coarse, fine };

  // Steps are judged relative to what a state is in a step, or to a thousandth of the largest that it is anywhere.
  Integrator(const RateSystem& rates, int order, const double* parameters, Care care);
  ~Integrator();

  // States in rows; in columns the values, then the derivatives in each parameter, then second ones (0,0), (1,0), (1,1), ...
  static int columns(int parameters, int order) { return 1 + (order > 0 ? parameters : 0) + (order > 1 ? parameters * (parameters + 1) / 2 : 0); }

  // `largest`: as far as it is known how large each state becomes.
  void begin(double time, const Eigen::MatrixXd& states, const Eigen::VectorXd& largest);
  const Eigen::VectorXd& largest() const { return largest_; }
  // Jumps to other states; what was known of the course no longer holds.
  void jump(const Eigen::MatrixXd& states);
  const Eigen::MatrixXd& states() const { return now_; }
  double time() const { return time_; }

  // On to `end`. Meanwhile calls reached(time) after each step: what lies before it can be read with at().
  End go_to(double end, const ColumnsAt& columns_at, const std::function<void(double)>& reached);
  // In the last step, into `out` as states() is laid out.
  void at(double time, Eigen::MatrixXd& out) const;

 private:
  struct Memory;
  enum class Attempt { good, too_long, failed };
  // How the equations of a step are solved: explicitly; by parts, with one slope for all stages; by Newton's method with all slopes.
  enum class Way { sweeps, parts, newton };

  Attempt attempt(double step, const ColumnsAt& columns_at, double& factor);
  bool solve_stages(double step, const ColumnsAt& columns_at);
  bool misses(double step, int order);
  double change_stages(const Eigen::MatrixXd& change);
  void evaluate_stages(int order);
  bool improve_stages(double step);
  bool improve_derivatives(int first, int count);
  bool iterate_stages(double step);
  void differentiate(double step);
  double first_step(double span, const ColumnsAt& columns_at);
  void put_rows(double step, const ColumnsAt& columns_at);
  double weight(int state) const;

  const RateSystem& rates_;
  int n_, parameters_, order_;
  double tolerance_;
  bool rough_;
  double time_ = 0, step_ = 0, last_step_ = 0;
  double from_ = 0;                // where the last step began
  bool on_course_ = false;         // the last step can be followed further
  Way way_ = Way::newton;          // of the last step
  Eigen::MatrixXd now_, before_;   // at the end of the last step, and at its beginning
  Eigen::MatrixXd stages_;         // of the last step: one after the other, each as states() is laid out
  Eigen::MatrixXd trial_;          // values at the stages, a column a stage
  Eigen::VectorXd largest_;        // that each state has had
  std::unique_ptr<Memory> memory_;
};

}  // namespace tundrel
