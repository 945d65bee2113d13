#include "collocation.h"

#include <boost/math/quadrature/gauss.hpp>
#include <boost/math/special_functions/legendre.hpp>
#include <cmath>
#include <vector>

namespace tundrel {
namespace {

using Real = long double;
// Exact for the products of all stages.
using Rule = boost::math::quadrature::gauss<Real, 10>;

// Roots of P_s - P_(s-1), from [-1, 1]: between those of P_s, and the end.
std::vector<Real> radau_places() {
  const auto f = [](Real x) { return boost::math::legendre_p(kStages, x) - boost::math::legendre_p(kStages - 1, x); };
  std::vector<Real> out;
  const int pieces = 2000;
  for (int i = 0; i + 1 < pieces; ++i) {
    Real low = -1 + 2 * Real(i) / pieces, high = -1 + 2 * Real(i + 1) / pieces;
    if ((f(low) > 0) == (f(high) > 0)) continue;
    for (int k = 0; k < 80; ++k) {
      const Real middle = (low + high) / 2;
      ((f(middle) > 0) == (f(low) > 0) ? low : high) = middle;
    }
    out.push_back((1 + (low + high) / 2) / 2);
  }
  out.push_back(1);
  return out;
}

}  // namespace

Collocation::Collocation() {
  const std::vector<Real> c = radau_places();
  const auto lagrange = [&](int j, Real x) {
    Real product = 1;
    for (int k = 0; k < kStages; ++k)
      if (k != j) product *= (x - c[k]) / (c[j] - c[k]);
    return product;
  };
  const auto all = [&](Real x) {
    Real product = 1;
    for (Real place_k : c) product *= x - place_k;
    return product;
  };
  for (int i = 0; i < kStages; ++i) {
    place[i] = static_cast<double>(c[i]);
    for (int j = 0; j < kStages; ++j) integral(i, j) = static_cast<double>(Rule::integrate([&](Real x) { return lagrange(j, x); }, Real(0), c[i]));
  }
  std::vector<Real> points{0};
  points.insert(points.end(), c.begin(), c.end());
  for (int j = 0; j <= kStages; ++j) {
    Real weight = 1;
    for (int k = 0; k <= kStages; ++k)
      if (k != j) weight /= points[j] - points[k];
    highest[j] = static_cast<double>(weight);
  }
  for (int j = 0; j < kStages; ++j) second_highest[j] = highest[j + 1] * place[j];
  Real farthest = 0;
  for (int k = 1; k <= 1000; ++k) farthest = std::max(farthest, std::fabs(Real(k) / 1000 * all(Real(k) / 1000)));
  product = static_cast<double>(farthest);
  double sum = 0;
  for (int j = 1; j <= kStages; ++j) sum += slope_at_start[j] = highest[j] / highest[0] / -static_cast<double>(points[j]);
  slope_at_start[0] = -sum;
  Real most = 0;
  for (int k = 1; k <= 100; ++k) most = std::max(most, std::fabs(Rule::integrate(all, Real(0), Real(k) / 100)));
  defect_share = static_cast<double>(most / std::fabs(all(0)));
}

Eigen::Matrix<double, kStages + 1, 1> Collocation::weights_at(double t) const {
  Eigen::Matrix<double, kStages + 1, 1> out;
  double sum = 0;
  for (int j = 0; j <= kStages; ++j) {
    const double distance = t - (j == 0 ? 0 : place[j - 1]);
    if (distance == 0) {
      out.setZero();
      out[j] = 1;
      return out;
    }
    sum += out[j] = highest[j] / distance;
  }
  return out / sum;
}

const Collocation& collocation() {
  static const Collocation one;
  return one;
}

}  // namespace tundrel
