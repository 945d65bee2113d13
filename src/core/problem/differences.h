// Derivatives of functions that give none, by differences that keep within bounds.
#pragma once
#include <functional>
#include <vector>

#include "bounds.h"

namespace tundrel {

using VectorFunction = std::function<Eigen::VectorXd(const Eigen::VectorXd& x)>;

// Forward, to about half the digits of the values, a call for each parameter; central of order two, to two thirds, two calls; or
// central of order four, to four fifths, four calls.
enum class Differences { forward, central, fine };

// Derivative in parameter `i` at `x`, where the function is `at_x`. FALSE where a difference meets a point without finite values.
bool first_difference(const VectorFunction& f, const Eigen::VectorXd& x, const Eigen::VectorXd& at_x, int i,
                      const Bounds& bounds, Differences kind, Eigen::Ref<Eigen::VectorXd> out);

// The points, a column each, at which those in these parameters call.
Eigen::MatrixXd difference_points(const Eigen::VectorXd& x, const std::vector<int>& parameters, const Bounds& bounds, Differences kind);

// Rounding error of central ones for a function whose own values have this one.
double first_difference_noise(const Eigen::VectorXd& x, int i, const Bounds& bounds, double rounding, Differences kind);

// Second derivatives of a function of one value, and their rounding error where its values have this one; where it is 0, it
// becomes their last digits. FALSE as above.
bool second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                        const Bounds& bounds, double& rounding, Eigen::MatrixXd& out, Eigen::MatrixXd& noise);

// The same, less accurate, mostly from points at which central first differences have called: beside them one call for each pair
// of parameters.
bool sparing_second_differences(const std::function<double(const Eigen::VectorXd&)>& f, const Eigen::VectorXd& x,
                                const Bounds& bounds, double& rounding, Eigen::MatrixXd& out, Eigen::MatrixXd& noise);
Eigen::MatrixXd sparing_second_points(const Eigen::VectorXd& x, const Bounds& bounds);

}  // namespace tundrel
