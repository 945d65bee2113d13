// Functions of probability that keep their digits where the plain formulas lose them.
#pragma once

namespace tundrel {

// a log(a / b) - a + b: half the deviance of a count a about its mean b; not negative. Near a = b by
// a series in their difference (Loader, 2000, Fast and accurate computation of binomial
// probabilities). Continued to b at a = 0.
double unit_deviance(double a, double b);

// What Stirling's formula leaves out of log gamma, and its first two derivatives:
// log gamma(x) - (x - 1/2) log x + x - log(2 pi) / 2.
double stirling_error(int order, double x);

// log of the standard normal distribution function, far into the lower tail.
double log_normal_probability(double z);

// Density over upper tail of the standard normal distribution.
double normal_hazard(double z);

// log of the regularised incomplete gamma function, lower or upper, and its first and second
// derivatives in the shape: the series of positive terms, or the continued fraction (Abramowitz and
// Stegun, 6.5.29 and 6.5.31), differentiated as they are summed.
double log_incomplete_gamma(bool upper, int order, double shape, double x);

}  // namespace tundrel
