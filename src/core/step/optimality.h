// How close a point is to an optimum.
#pragma once
#include <vector>

#include "../problem/squares.h"

namespace tundrel {

// Indices of the parameters that a bound does not hold back at `x`, where the value has this slope.
std::vector<int> unheld_parameters(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& slope);
// The same into a list that is there.
void find_unheld(const Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& slope, std::vector<int>& list);

// Size of the numbers whose differences are the residuals: below about 1e-16 of it, a residual is
// rounding. Of the norms of the Jacobian's columns.
double residual_scale(Problem& problem, const Eigen::VectorXd& x, const Eigen::VectorXd& norms);

// A residual below this share of its scale is one of an exact fit: what is left is rounding, and the fit's own error.
constexpr double kExactShare = 1e-10;

// Length of the part of the residual that a linear step in the unheld parameters could still remove,
// relative to the residual: the cosine of the angle between residual and tangent plane (Bates and
// Watts, 1981). Residuals below kExactShare of their scale count as that much, since for an exact fit
// the angle has no meaning.
double relative_offset(double reducible, const Linearisation& at, double scale);

}  // namespace tundrel
