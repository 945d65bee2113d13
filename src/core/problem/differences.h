// Derivatives of functions that give none, by differences that keep within bounds.
#pragma once
#include <functional>

#include "bounds.h"

namespace tundrel {

using VectorFunction = std::function<Eigen::VectorXd(const Eigen::VectorXd& x)>;

// Derivative in parameter `i` at `x`, where the function is `at_x`: forward differences, or, where
// `central`, central ones of order four. FALSE where a difference meets a point without finite values.
bool first_difference(const VectorFunction& f, const Eigen::VectorXd& x, const Eigen::VectorXd& at_x, int i,
                      const Bounds& bounds, bool central, Eigen::Ref<Eigen::VectorXd> out);

// Second derivatives of a function of one value. FALSE as above.
bool second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                        const Bounds& bounds, Eigen::MatrixXd& out);

}  // namespace tundrel
