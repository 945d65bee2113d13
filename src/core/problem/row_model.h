// Fitted values for the rows of a table, with their derivatives: from a program, a function of the user's, or whatever else gives them.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <functional>
#include <memory>

#include "../expression/program.h"
#include "differences.h"
#include "evaluation.h"

namespace tundrel {

class RowModel {
 public:
  virtual ~RowModel() = default;
  virtual int size() const = 0;   // parameters
  virtual std::int64_t rows() const = 0;
  // TRUE where derivatives are exact, and second ones may be asked for.
  virtual bool exact() const = 0;
  // TRUE where each evaluation is a call of a function of the user's.
  virtual bool calls_user() const { return false; }
  // A model of its own for another thread; none where R evaluates.
  virtual std::unique_ptr<RowModel> clone() const { return nullptr; }
  // Sets the sizes at which parameters are expected.
  virtual void expect(const Eigen::VectorXd&) {}
  // Takes other rows in place of its own; FALSE where it has none.
  virtual bool read(const Columns&) { return false; }

  // Makes ready what is wanted at a point: values (order 0), their derivatives (1), or second ones, too (2). FALSE where something is
  // not finite. `kind`: of differences, if that is what derivatives are.
  virtual bool begin(const Eigen::VectorXd& x, int order, Differences kind, Evaluation& work) = 0;
  // Of n rows, at most kBlockRows: where the values stand, then each derivative, then the lower triangle of second ones, row by row.
  virtual const double* const* block(std::int64_t first, int n) = 0;

  // Rounding error of the derivative in parameter `i`, for values that have this one; 0 where derivatives are exact.
  virtual double slope_noise(const Eigen::VectorXd&, int, double, Differences) const { return 0; }
  // Second derivatives of the values' product with `weights`, by differences, with their rounding error where values have this one.
  virtual bool second_along(const Eigen::VectorXd&, const Eigen::VectorXd&, double, Differences, Evaluation&, Eigen::MatrixXd&, Eigen::MatrixXd&) {
    return false;
  }

  // Called with each point at which a function of the user's gave values, whatever it was asked for.
  std::function<void(const Eigen::VectorXd& x, const Eigen::VectorXd& values)> met;
};

}  // namespace tundrel
