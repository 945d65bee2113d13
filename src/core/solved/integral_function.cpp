#include "integral_function.h"

#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <boost/math/quadrature/tanh_sinh.hpp>
#include <boost/math/quadrature/exp_sinh.hpp>
#include <boost/math/quadrature/sinh_sinh.hpp>
#include <cmath>
#include <limits>
#include <utility>

namespace tundrel {
namespace {

namespace quadrature = boost::math::quadrature;

// Relative to the integral of the absolute value: what is asked for, and what is still taken.
constexpr double kWanted = 1e-13, kTaken = 1e-10;
constexpr unsigned kMostHalvings = 12;

double nothing() { return std::numeric_limits<double>::quiet_NaN(); }

// Smooth integrands first by Gauss and Kronrod's rule on halved intervals; what it cannot do, for a singular end, by the rule of
// Takahasi and Mori, which crowds its nodes there.
template <class Integrand>
double integrated(const Integrand& f, double from, double to) {
  double error = 0, size = 0;
  double found = nothing();
  try {
    found = quadrature::gauss_kronrod<double, 31>::integrate(f, from, to, kMostHalvings, kWanted, &error, &size);
  } catch (const std::exception&) {
  }
  if (std::isfinite(found) && error <= kWanted * 10 * size) return found;
  double other = nothing(), other_error = 0, other_size = 0;
  try {
    if (std::isfinite(from) && std::isfinite(to)) {
      static quadrature::tanh_sinh<double> rule;
      other = rule.integrate(f, from, to, kWanted, &other_error, &other_size);
    } else if (std::isfinite(from) || std::isfinite(to)) {
      static quadrature::exp_sinh<double> rule;
      other = rule.integrate(f, from, to, kWanted, &other_error, &other_size);
    } else {
      static quadrature::sinh_sinh<double> rule;
      other = rule.integrate(f, kWanted, &other_error, &other_size);
    }
  } catch (const std::exception&) {
  }
  const bool better = std::isfinite(other) && (!std::isfinite(found) || other_error < error);
  if (better) return other_error <= kTaken * other_size ? other : nothing();
  return std::isfinite(found) && error <= kTaken * size ? found : nothing();
}

}  // namespace

IntegralFunction::IntegralFunction(Template integrand) : integrand_(std::move(integrand)), derivatives_(integrand_.others) {
  program_ = integrand_.along_variable();
}

void IntegralFunction::evaluate(const std::vector<Input>& inputs, double* out, int n) const {
  Program::Workspace space;
  std::vector<double> others(integrand_.others);
  double at = 0;
  Columns one;
  one.rows = 1;
  one.data = {&at};
  for (int i = 0; i < n; ++i) {
    for (int k = 0; k < integrand_.others; ++k) others[k] = inputs[k + 2][i];
    const double from = inputs[0][i], to = inputs[1][i];
    if (std::isnan(from) || std::isnan(to)) {
      out[i] = nothing();
      continue;
    }
    if (from == to) {
      out[i] = 0;
      continue;
    }
    program_.prepare(others.data(), one, space);
    const auto f = [&](double x) {
      at = x;
      program_.run_block(space, one, 0, 1);
      return space.output(0)[0];
    };
    out[i] = from < to ? integrated(f, from, to) : -integrated(f, to, from);
  }
}

int IntegralFunction::partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const {
  (void)self;
  const int* others = inputs.data() + 2;
  if (which < 2) {
    // an infinite end does not move
    const int end = inputs[which];
    if (graph[end].op == Op::constant) return graph.constant(0);
    const int there = integrand_.put_into(graph, end, others);
    return which == 1 ? there : graph.apply(Op::negate, there);
  }
  std::shared_ptr<const IntegralFunction> derivative;
  {
    const std::lock_guard<std::mutex> lock(mutex_);
    std::shared_ptr<const IntegralFunction>& kept = derivatives_[which - 2];
    if (!kept) {
      const Template slope = integrand_.derivative(which - 1);
      if (slope.graph.is_constant(slope.node, 0)) return graph.constant(0);
      kept = std::make_shared<IntegralFunction>(slope);
    }
    derivative = kept;
  }
  return graph.solved(derivative, inputs);
}

}  // namespace tundrel
