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

// Rounding error of those differences for a function whose own values have this one.
double first_difference_noise(const Eigen::VectorXd& x, int i, const Bounds& bounds, double rounding);

// Second derivatives of a function of one value, and their rounding error where its values have this one; where it is 0, it
// becomes their last digits. FALSE as above.
bool second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                        const Bounds& bounds, double& rounding, Eigen::MatrixXd& out, Eigen::MatrixXd& noise);

}  // namespace tundrel
