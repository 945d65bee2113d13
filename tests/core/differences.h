// Derivatives by differences, exact to about eleven digits for smooth functions.
#pragma once
#include <cmath>
#include <functional>

// Central difference of order eight.
inline double difference(const std::function<double(double)>& f, double x, double h = 2e-3) {
  const double step = h * std::max(1.0, std::fabs(x));
  const double weight[] = {4.0 / 5, -1.0 / 5, 4.0 / 105, -1.0 / 280};
  double sum = 0;
  for (int k = 1; k <= 4; ++k) sum += weight[k - 1] * (f(x + k * step) - f(x - k * step));
  return sum / step;
}
