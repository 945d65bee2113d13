#include "root_function.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "../expression/substitute.h"
#include "../numbers.h"

namespace tundrel {
namespace {

// Halving alone comes from one end of all numbers to the other in some two thousand steps; with the geometric mean, in some seventy.
constexpr int kRootMostSteps = 400;

// Half way between two numbers: in orders of magnitude where they lie far apart on one side of zero, and, `beside_zero`, where one of
// them is zero.
double middle(double a, double b, bool beside_zero) {
  if (beside_zero && a == 0) a = std::numeric_limits<double>::min();
  if (beside_zero && b == 0) b = -std::numeric_limits<double>::min();
  if (a > 0 && b > 100 * a) return std::sqrt(a) * std::sqrt(b);
  if (b < 0 && a < 100 * b) return -std::sqrt(-a) * std::sqrt(-b);
  return a + (b - a) / 2;
}

// One row's search.
struct Search {
  double low, high;        // ends of the bracket
  bool rising;             // sign of the equation at its upper end
  double at;               // next place to look at
  double last_width;       // of the bracket, some steps ago
  double last_step = 0;    // Newton's, the time before
  bool done = false;
};

constexpr double kRootClose = 1e-9, kFaster = 1e-3;
// Newton's steps halve the way to a double root, or to one beside zero: after so many the bracket is halved in orders of magnitude.
constexpr int kNewtonSteps = 16;

}  // namespace

RootFunction::RootFunction(Template equation) : equation_(std::move(equation)), slope_(equation_.derivative(0)) {
  for (int k = 1; k <= equation_.others; ++k) others_.push_back(equation_.derivative(k));
  Graph on_rows;
  const auto as_column = [](Graph& to, const Node& leaf) { return leaf.op == Op::parameter ? to.column(leaf.index) : -1; };
  const std::vector<int> nodes{copied(equation_.graph, {equation_.node}, on_rows, as_column)[0], copied(slope_.graph, {slope_.node}, on_rows, as_column)[0]};
  program_ = Program(on_rows, nodes);
}

void RootFunction::evaluate(const std::vector<Input>& inputs, double* out, int n) const {
  memory_.answer(inputs, 0, out, n, [&] {
    Eigen::MatrixXd found(n, 1);
    search(inputs, found.data(), n);
    return found;
  });
}

void RootFunction::search(const std::vector<Input>& inputs, double* out, int n) const {
  const int columns = equation_.others + 1;
  std::vector<double> memory;
  memory.resize(static_cast<std::size_t>(columns) * n);
  Columns table;
  table.rows = n;
  for (int k = 0; k < columns; ++k) table.data.push_back(memory.data() + static_cast<std::size_t>(k) * n);
  double* const unknown = memory.data();
  for (int k = 1; k < columns; ++k)
    for (int i = 0; i < n; ++i) memory[static_cast<std::size_t>(k) * n + i] = inputs[k + 1][i];
  Program::Workspace space;
  program_.prepare(nullptr, table, space);
  const auto look = [&] { program_.run_block(space, table, 0, n); };

  std::vector<Search> rows(n);
  for (int i = 0; i < n; ++i) unknown[i] = rows[i].low = std::min(inputs[0][i], inputs[1][i]);
  look();
  std::vector<double> at_low(space.output(0), space.output(0) + n);
  for (int i = 0; i < n; ++i) unknown[i] = rows[i].high = std::max(inputs[0][i], inputs[1][i]);
  look();
  int open = 0;
  for (int i = 0; i < n; ++i) {
    Search& row = rows[i];
    const double a = at_low[i], b = space.output(0)[i];
    row.rising = b > 0;
    if (a == 0 || b == 0) {
      row.at = a == 0 ? row.low : row.high;
      row.done = true;
    } else if (!(a * b < 0 || (a > 0) != (b > 0)) || std::isnan(a) || std::isnan(b)) {
      row.at = std::numeric_limits<double>::quiet_NaN();
      row.done = true;
    } else {
      // where a straight line between the ends is zero, but not at one of them
      const double share = a / (a - b);
      row.at = share > 0.01 && share < 0.99 ? row.low + share * (row.high - row.low) : middle(row.low, row.high, false);
      row.last_width = row.high - row.low;
      ++open;
    }
  }
  for (int step = 0; open > 0 && step < kRootMostSteps; ++step) {
    for (int i = 0; i < n; ++i) unknown[i] = rows[i].done ? rows[i].low : rows[i].at;
    look();
    for (int i = 0; i < n; ++i) {
      Search& row = rows[i];
      if (row.done) continue;
      const double f = space.output(0)[i], slope = space.output(1)[i];
      // beyond the largest number it still has a sign; with none there is nothing to go by
      if (f == 0 || std::isnan(f)) {
        if (f != 0) row.at = std::numeric_limits<double>::quiet_NaN();
        row.done = true;
        --open;
        continue;
      }
      ((f > 0) == row.rising ? row.high : row.low) = row.at;
      double next = row.at - f / slope;
      const double width = row.high - row.low;
      // a step out of the bracket, or a bracket that has not halved in three steps: its middle
      const bool slow = step % 3 == 2 && !(width < row.last_width / 2);
      if (step % 3 == 2) row.last_width = width;
      const bool inside = next > row.low && next < row.high;
      const double tiny = 2 * kEpsilon * std::fabs(row.at);
      const double newton = std::fabs(f / slope);
      // so close that the next step would be the square of this one, as it was before
      const bool square = newton <= kRootClose * std::fabs(row.at) && newton <= kFaster * row.last_step;
      row.last_step = newton;
      if (std::isfinite(slope) && (newton <= tiny || square)) {
        if (inside) row.at = next;
        row.done = true;
      } else if (!inside || slow || step % kNewtonSteps == kNewtonSteps - 1) {
        next = middle(row.low, row.high, step >= kNewtonSteps - 1);
      }
      if (!row.done && (next <= row.low || next >= row.high || width <= tiny)) row.done = true;
      if (row.done)
        --open;
      else
        row.at = next;
    }
  }
  for (int i = 0; i < n; ++i) out[i] = rows[i].done ? rows[i].at : std::numeric_limits<double>::quiet_NaN();
}

int RootFunction::partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const {
  if (which < 2) return graph.constant(0);
  const int* others = inputs.data() + 2;
  const int along = others_[which - 2].put_into(graph, self, others), slope = slope_.put_into(graph, self, others);
  return graph.apply(Op::negate, graph.apply(Op::divide, along, slope));
}

}  // namespace tundrel
