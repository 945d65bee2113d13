#include "smeared_function.h"

#include <algorithm>
#include <boost/math/quadrature/gauss.hpp>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

// On each piece between two knots; pieces are short against what is seen to change.
constexpr int kNodes = 7;
using Rule = boost::math::quadrature::gauss<double, kNodes>;

}  // namespace

double Spline::at(double x, int order) const {
  if (std::isnan(x)) return x;
  const auto above = std::upper_bound(place.begin(), place.end(), x);
  if (above == place.begin() || (above == place.end() && x > place.back())) return 0;
  const Eigen::Index piece = std::min<Eigen::Index>(above - place.begin(), powers.rows()) - 1;
  const double from = x - place[piece];
  double sum = 0;
  for (int k = static_cast<int>(powers.cols()) - 1; k >= order; --k) {
    double factor = powers(piece, k);
    for (int j = 0; j < order; ++j) factor *= k - j;
    sum = sum * from + factor;
  }
  return sum;
}

void ResponseFunction::evaluate(const std::vector<Input>& inputs, double* out, int n) const {
  for (int i = 0; i < n; ++i) out[i] = spline_.at(inputs[0][i], order_);
}

int ResponseFunction::partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const {
  (void)self;
  return graph.solved(std::make_shared<ResponseFunction>(spline_, order_ + 1), {inputs[which]});
}

SmearedFunction::SmearedFunction(Template course, Spline response)
    : course_(std::move(course)), spline_(std::move(response)), response_(std::make_shared<ResponseFunction>(spline_)), derivatives_(course_.others + 1) {
  program_ = course_.along_variable();
}

void SmearedFunction::evaluate(const std::vector<Input>& inputs, double* out, int n) const {
  Program::Workspace space;
  std::vector<double> others(course_.others), distance(kBlockRows), weight(kBlockRows);
  Columns table;
  table.data = {distance.data()};
  table.rows = kBlockRows;
  const auto& nodes = Rule::abscissa();
  const auto& shares = Rule::weights();
  for (int i = 0; i < n; ++i) {
    const double x = inputs[0][i];
    for (int k = 0; k < course_.others; ++k) others[k] = inputs[k + 1][i];
    program_.prepare(others.data(), table, space);
    double sum = 0;
    int filled = 0;
    const auto look = [&] {
      if (filled == 0) return;
      program_.run_block(space, table, 0, filled);
      for (int k = 0; k < filled; ++k) sum += weight[k] * space.output(0)[k];
      filled = 0;
    };
    for (Eigen::Index k = 0; k < spline_.powers.rows() && spline_.place[k] < x; ++k) {
      const double from = spline_.place[k], to = std::min(spline_.place[k + 1], x), half = (to - from) / 2, middle = (to + from) / 2;
      const auto powers = spline_.powers.row(k);
      if (powers.isZero(0)) continue;
      if (filled + kNodes > kBlockRows) look();
      for (std::size_t j = 0; j < nodes.size(); ++j)
        for (int side = nodes[j] == 0 ? 1 : -1; side <= 1; side += 2) {
          const double s = middle + side * half * nodes[j];
          distance[filled] = x - s;
          const double along = s - from;
          weight[filled++] = half * shares[j] * (powers[0] + along * (powers[1] + along * (powers[2] + along * powers[3])));
        }
    }
    look();
    out[i] = std::isnan(x) ? x : sum;
  }
}

int SmearedFunction::partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const {
  (void)self;
  std::shared_ptr<const SmearedFunction> derivative;
  {
    const std::lock_guard<std::mutex> lock(mutex_);
    if (!derivatives_[which]) derivatives_[which] = std::make_shared<SmearedFunction>(course_.derivative(which), spline_);
    derivative = derivatives_[which];
  }
  const int inside = graph.solved(derivative, inputs);
  if (which > 0) return inside;
  // where the place moves, more of the response has come to bear on the course's beginning
  const int beginning = course_.put_into(graph, graph.constant(0), inputs.data() + 1);
  return graph.apply(Op::add, inside, graph.apply(Op::multiply, graph.solved(response_, {inputs[0]}), beginning));
}

}  // namespace tundrel
