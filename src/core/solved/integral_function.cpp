#include "integral_function.h"

#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <boost/math/quadrature/tanh_sinh.hpp>
#include <boost/math/quadrature/exp_sinh.hpp>
#include <boost/math/quadrature/sinh_sinh.hpp>
#include <cmath>
#include <limits>
#include <queue>
#include <utility>

namespace tundrel {
namespace {

namespace quadrature = boost::math::quadrature;

// Relative to the integral of the absolute value: what is asked for, and what is still taken.
constexpr double kWanted = 1e-13, kTaken = 1e-10;
constexpr int kMostPieces = 200;

double nothing() { return std::numeric_limits<double>::quiet_NaN(); }

struct Piece {
  double from, to, value, error, size;
  bool operator<(const Piece& other) const { return error < other.error; }
};

// Every piece as one from -1 to 1: the rule's own estimate of its error then has the scale of its value.
template <class Integrand>
Piece piece(const Integrand& f, double from, double to) {
  const double middle = (from + to) / 2, half = (to - from) / 2;
  Piece out{from, to, 0, 0, 0};
  const auto scaled = [&](double t) { return half * f(middle + half * t); };
  out.value = quadrature::gauss_kronrod<double, 31>::integrate(scaled, -1.0, 1.0, 0u, kWanted, &out.error, &out.size);
  return out;
}

// The piece of the largest error is halved until all errors together are small; NaN where there is no value.
template <class Integrand>
double by_halving(const Integrand& f, double from, double to, double& error, double& size) {
  std::priority_queue<Piece> pieces;
  pieces.push(piece(f, from, to));
  Piece sum = pieces.top();
  while (std::isfinite(sum.value) && sum.error > kWanted * 10 * sum.size && static_cast<int>(pieces.size()) < kMostPieces) {
    const Piece worst = pieces.top();
    pieces.pop();
    const double middle = (worst.from + worst.to) / 2;
    for (const Piece& half : {piece(f, worst.from, middle), piece(f, middle, worst.to)}) {
      pieces.push(half);
      sum.value += half.value;
      sum.error += half.error;
      sum.size += half.size;
    }
    sum.value -= worst.value;
    sum.error -= worst.error;
    sum.size -= worst.size;
  }
  // what was added and taken away leaves rounding behind
  sum = {from, to, 0, 0, 0};
  for (; !pieces.empty(); pieces.pop()) {
    sum.value += pieces.top().value;
    sum.error += pieces.top().error;
    sum.size += pieces.top().size;
  }
  error = sum.error;
  size = sum.size;
  return sum.value;
}

// Infinite ranges as finite ones.
template <class Integrand>
double over_range(const Integrand& f, double from, double to, double& error, double& size) {
  if (std::isfinite(from) && std::isfinite(to)) return by_halving(f, from, to, error, size);
  if (!std::isfinite(from) && !std::isfinite(to)) {
    const auto whole = [&](double t) { return f(t / (1 - t * t)) * (1 + t * t) / ((1 - t * t) * (1 - t * t)); };
    return by_halving(whole, -1, 1, error, size);
  }
  const double end = std::isfinite(from) ? from : to, sign = std::isfinite(from) ? 1 : -1;
  const auto half = [&](double t) { return f(end + sign * t / (1 - t)) / ((1 - t) * (1 - t)); };
  return by_halving(half, 0, 1, error, size);
}

// Smooth integrands first by Gauss and Kronrod's rule on halved intervals; what it cannot do, for a singular end, by the rule of
// Takahasi and Mori, which crowds its nodes there.
template <class Integrand>
double integrated(const Integrand& f, double from, double to) {
  double error = 0, size = 0;
  const double found = over_range(f, from, to, error, size);
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
