// Where some states come to rest while the others stay where they are: their rates are zero.
#pragma once
#include <Eigen/Core>
#include <vector>

#include "rate_system.h"

namespace tundrel {

// `states`: values in the first column, at first where to look; then the derivatives to `order`, right for those that are not `steady`.
// Sets the values and derivatives of those that are. FALSE where none is found, or none that is the only one around.
bool settle(const RateSystem& rates, const std::vector<int>& steady, int order, const double* parameters, double time, const std::vector<double>& columns,
            Eigen::MatrixXd& states);

}  // namespace tundrel
