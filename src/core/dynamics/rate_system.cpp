#include "rate_system.h"

#include "../expression/derivative.h"
#include "../expression/substitute.h"

namespace tundrel {

RateSystem::RateSystem(const Graph& given, const std::vector<int>& values, int states, int parameters, int columns)
    : states_(states), parameters_(parameters), columns_(columns), values_(values) {
  Graph graph = given;
  const int all = states + parameters;
  std::vector<int> outputs = values;
  std::vector<std::vector<int>> first;
  for (int value : values) first.push_back(gradient_nodes(graph, value, all));
  for (int i = 0; i < size(); ++i)
    for (int k = 0; k < all; ++k) {
      if (graph.is_constant(first[i][k], 0)) continue;
      (k < states ? in_states_ : in_parameters_).push_back({i, k < states ? k : k - states, static_cast<int>(outputs.size())});
      outputs.push_back(first[i][k]);
    }
  const std::size_t n_first = outputs.size();
  for (int i = 0; i < size(); ++i)
    for (int a = 0; a < all; ++a) {
      if (graph.is_constant(first[i][a], 0)) continue;
      const std::vector<int> row = gradient_nodes(graph, first[i][a], a + 1);
      for (int b = 0; b <= a; ++b) {
        if (graph.is_constant(row[b], 0)) continue;
        second_.push_back({i, a, b, static_cast<int>(outputs.size())});
        outputs.push_back(row[b]);
      }
    }
  // states differ from row to row
  Graph on_rows;
  const std::vector<int> nodes = copied(graph, outputs, on_rows, [&](Graph& to, const Node& leaf) {
    if (leaf.op != Op::parameter) return -1;
    return leaf.index < states ? to.column(1 + columns + leaf.index) : to.parameter(leaf.index - states);
  });
  const std::size_t until[] = {values.size(), n_first, nodes.size()};
  for (int order = 0; order < 3; ++order) programs_[order] = Program(on_rows, std::vector<int>(nodes.begin(), nodes.begin() + until[order]));
}

void RateSystem::lay_out(Scratch& scratch, int n) const {
  const int all = 1 + columns_ + states_;
  scratch.memory.assign(static_cast<std::size_t>(all) * n, 0.0);
  scratch.rows.rows = n;
  scratch.rows.data.clear();
  for (int k = 0; k < all; ++k) scratch.rows.data.push_back(scratch.memory.data() + static_cast<std::size_t>(k) * n);
}

void RateSystem::start(const double* parameters, Scratch& scratch) const {
  for (int order = 0; order < 3; ++order) programs_[order].prepare(parameters, scratch.rows, scratch.space[order]);
}

void RateSystem::evaluate(Scratch& scratch, int order) const {
  programs_[order].run_block(scratch.space[order], scratch.rows, 0, static_cast<int>(scratch.rows.rows));
}

}  // namespace tundrel
