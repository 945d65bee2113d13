#include "nearest_function.h"

#include <limits>

#include "../expression/derivative.h"
#include "../expression/substitute.h"
#include "../expression/term.h"

namespace tundrel {
namespace {

// The solution of a square system whose leading minors are not zero.
std::vector<Term> solved(std::vector<std::vector<Term>> a, std::vector<Term> b) {
  const std::size_t n = b.size();
  for (std::size_t k = 0; k < n; ++k)
    for (std::size_t i = k + 1; i < n; ++i) {
      const Term share = a[i][k] / a[k][k];
      for (std::size_t j = k + 1; j < n; ++j) a[i][j] = a[i][j] - share * a[k][j];
      b[i] = b[i] - share * b[k];
    }
  for (std::size_t k = n; k-- > 0;) {
    for (std::size_t j = k + 1; j < n; ++j) b[k] = b[k] - a[k][j] * b[j];
    b[k] = b[k] / a[k][k];
  }
  return b;
}

}  // namespace

int NearestFunction::partial(Graph& graph, int, const std::vector<int>& inputs, int which) const {
  const NearestSearch& search = *search_;
  const int q = search.predictors(), parameters = q + search.curve().others;
  const bool in_reading = which == search.reading();
  if ((!in_reading && which < search.other(0)) || output_ == search.slope()) return graph.constant(std::numeric_limits<double>::quiet_NaN());
  const auto input = [&](int k) { return Term{&graph, inputs[k]}; };
  const auto output = [&](int k) { return Term{&graph, graph.solved(search.function(k), inputs)}; };

  // the curve where it is nearest
  std::vector<int> leaves;
  for (int k = 0; k < q; ++k) leaves.push_back((input(search.predictor(k)) - input(search.spread_of(k)) * output(k + 1)).node);
  for (int k = q; k < parameters; ++k) leaves.push_back(inputs[search.other(k - q)]);
  Graph curve = search.curve().graph;
  const auto there = [&](int node) {
    return Term{&graph, copied(curve, {node}, graph, [&](Graph&, const Node& leaf) { return leaf.op == Op::parameter ? leaves[leaf.index] : -1; })[0]};
  };
  const std::vector<int> first = gradient_nodes(curve, search.curve().node, parameters);
  const Term spread = input(search.spread());
  const Term zero{&graph, graph.constant(0)}, one{&graph, graph.constant(1)};
  const auto unit = [&](int k) { return input(search.spread_of(k)) / spread; };
  const auto correlation = [&](int i, int j) { return i == j ? one : input(search.correlation(std::max(i, j), std::min(i, j))); };

  // its normal, C n, and n' C n
  std::vector<Term> normal;
  for (int k = 0; k < q; ++k) normal.push_back(-(there(first[k]) * unit(k)));
  normal.push_back(one);
  std::vector<Term> along(q + 1, zero);
  Term square = zero;
  for (int i = 0; i <= q; ++i) {
    for (int j = 0; j <= q; ++j) along[i] = along[i] + correlation(i, j) * normal[j];
    square = square + normal[i] * along[i];
  }
  // by how much the reading's error changes where the place stays
  const int parameter = in_reading ? -1 : q + which - search.other(0);
  const Term change = in_reading ? one / spread : -(there(first[parameter]) / spread);
  if (output_ == NearestSearch::kDistance) return (change / sqrt(square)).node;

  // The place moves so that the error stays orthogonal to the curve. In the tangent, errors have the covariance K = C - C n n' C / n' C n.
  const Term step = output(NearestSearch::kDistance) / sqrt(square);
  std::vector<std::vector<Term>> left(q, std::vector<Term>(q, zero));
  std::vector<Term> right(q, zero);
  std::vector<std::vector<int>> second;
  for (int k = 0; k < q; ++k) second.push_back(gradient_nodes(curve, first[k], parameters));
  for (int i = 0; i < q; ++i) {
    right[i] = along[i] / square * change;
    for (int m = 0; m < q; ++m) {
      const Term tangent = correlation(i, m) - along[i] * along[m] / square;
      if (!in_reading) right[i] = right[i] - step * tangent * there(second[m][parameter]) * unit(m);
      for (int j = 0; j < q; ++j) left[i][j] = left[i][j] - step * tangent * there(second[m][j]) * unit(m) * input(search.spread_of(j));
    }
    left[i][i] = left[i][i] + 1.0;
  }
  return solved(left, right)[output_ - 1].node;
}

}  // namespace tundrel
