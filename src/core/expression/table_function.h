// Values that are found from the parameters for all rows of a table at once, as the states of a system along time are. To an
// expression they are leaves; so are their derivatives.
#pragma once
#include <Eigen/Core>
#include <memory>
#include <vector>

#include "columns.h"

namespace tundrel {

class TableFunction {
 public:
  struct Slope {
    int parameter, output;
  };

  virtual ~TableFunction() = default;
  // Which outputs are the derivatives of output `k`, where it has any: at most second ones.
  virtual std::vector<Slope> slopes(int k) const = 0;
  // How many roundings the error of its values may be.
  virtual double roundings() const { return 1; }
  // 0 for values, 1 for derivatives, 2 for second ones.
  virtual int order(int k) const = 0;
  // A row a row of the table, a column an output, of all up to an order; not a number where there is none.
  virtual std::shared_ptr<const Eigen::MatrixXd> outputs(const double* parameters, const Columns& columns, int order) const = 0;
};

}  // namespace tundrel
