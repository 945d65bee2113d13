// Special functions that the C++ library lacks.
#pragma once
#include <complex>

namespace tundrel {

// Derivative of order n + 1 of log gamma (n = 0 digamma, 1 trigamma, ...): recurrence to a large
// argument, then the asymptotic series (Abramowitz and Stegun, 6.4.6 and 6.4.11). Not a number at
// the poles and far left of zero.
double polygamma(int n, double x);

// The logarithm of the absolute value of the gamma function, from the C library, but without the sign that it leaves where all threads see it.
double log_gamma(double x);

// Bessel function of the first kind of whole order, any sign of the argument.
double bessel_j(int order, double x);

// exp(-z^2) erfc(-i z) at z = x + i y in the upper half plane; not a number below it. Rational
// approximation by Weideman (1994, SIAM Journal on Numerical Analysis 31, 1497-1518), Laplace's
// continued fraction far out.
std::complex<double> faddeeva(double x, double y);

double normal_density(double x);
double normal_probability(double x);
double logistic_probability(double x);

}  // namespace tundrel
