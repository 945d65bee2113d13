#include "rate_system.h"

#include "../expression/derivative.h"
#include "../expression/substitute.h"

namespace tundrel {
namespace {

// States differ from row to row: they become columns behind the others.
Program over_rows(const Graph& graph, const std::vector<int>& outputs, int states, int columns) {
  Graph on_rows;
  const std::vector<int> nodes = copied(graph, outputs, on_rows, [&](Graph& to, const Node& leaf) {
    if (leaf.op != Op::parameter) return -1;
    return leaf.index < states ? to.column(1 + columns + leaf.index) : to.parameter(leaf.index - states);
  });
  return Program(on_rows, nodes);
}

bool changes_along(const Graph& graph, int node, int states) {
  bool found = false;
  Graph spare;
  copied(graph, {node}, spare, [&](Graph&, const Node& leaf) {
    if (leaf.op == Op::column || (leaf.op == Op::parameter && leaf.index < states)) found = true;
    return -1;
  });
  return found;
}

}  // namespace

RateSystem::RateSystem(const Graph& given, const std::vector<int>& values, int states, int parameters, int columns)
    : states_(states), parameters_(parameters), columns_(columns), graph_(given), values_(values), second_(std::make_shared<SecondDerivatives>()) {
  const int all = states + parameters;
  for (int value : values) first_.push_back(gradient_nodes(graph_, value, all));
  std::vector<int> outputs = values;
  for (int i = 0; i < size(); ++i)
    for (int k = 0; k < all; ++k) {
      if (graph_.is_constant(first_[i][k], 0)) continue;
      (k < states ? in_states_ : in_parameters_).push_back({i, k < states ? k : k - states, static_cast<int>(outputs.size())});
      outputs.push_back(first_[i][k]);
      if (k < states && constant_slopes_) constant_slopes_ = !changes_along(graph_, first_[i][k], states);
    }
  programs_[0] = over_rows(graph_, values, states, columns);
  programs_[1] = over_rows(graph_, outputs, states, columns);
}

const Program& RateSystem::program(int order) const {
  if (order < 2) return programs_[order];
  std::call_once(second_->made, [&] {
    Graph graph = graph_;
    const int all = states_ + parameters_;
    std::vector<int> outputs = values_;
    for (const std::vector<First>* list : {&in_states_, &in_parameters_}) outputs.resize(outputs.size() + list->size());
    for (const First& one : in_states_) outputs[one.output] = first_[one.value][one.by];
    for (const First& one : in_parameters_) outputs[one.output] = first_[one.value][states_ + one.by];
    for (int i = 0; i < size(); ++i)
      for (int a = 0; a < all; ++a) {
        if (graph[first_[i][a]].op == Op::constant) continue;
        const std::vector<int> row = gradient_nodes(graph, first_[i][a], a + 1);
        for (int b = 0; b <= a; ++b) {
          if (graph.is_constant(row[b], 0)) continue;
          second_->list.push_back({i, a, b, static_cast<int>(outputs.size())});
          outputs.push_back(row[b]);
        }
      }
    second_->program = over_rows(graph, outputs, states_, columns_);
  });
  return second_->program;
}

void RateSystem::lay_out(Scratch& scratch, int n) const {
  const int all = 1 + columns_ + states_;
  scratch.memory.assign(static_cast<std::size_t>(all) * n, 0.0);
  scratch.rows.rows = n;
  scratch.rows.data.clear();
  for (int k = 0; k < all; ++k) scratch.rows.data.push_back(scratch.memory.data() + static_cast<std::size_t>(k) * n);
}

void RateSystem::start(const double* parameters, int order, Scratch& scratch) const {
  for (int k = 0; k <= order; ++k) program(k).prepare(parameters, scratch.rows, scratch.space[k]);
}

void RateSystem::evaluate(Scratch& scratch, int order) const {
  program(order).run_block(scratch.space[order], scratch.rows, 0, static_cast<int>(scratch.rows.rows));
}

}  // namespace tundrel
