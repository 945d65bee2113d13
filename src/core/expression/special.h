// Special functions that the C++ library lacks.
#pragma once

namespace tundrel {

// Derivatives of log gamma, of order 1, 2 and 3: recurrence to a large argument, then the
// asymptotic series (Abramowitz and Stegun, 6.3 and 6.4); reflection left of zero.
double digamma(double x);
double trigamma(double x);
double tetragamma(double x);

// Bessel function of the first kind of whole order, any sign of the argument.
double bessel_j(int order, double x);

// x^y log(x)^k, continued by its limit 0 at x = 0 for y > 0.
double power_log(double x, double y, int k);

double normal_density(double x);
double normal_probability(double x);
double logistic_probability(double x);

}  // namespace tundrel
