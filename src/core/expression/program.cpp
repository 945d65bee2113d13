#include "program.h"

#include <algorithm>

namespace tundrel {
namespace {

std::vector<int> arguments_of(const Node& n) {
  std::vector<int> list;
  for (int i : {n.a, n.b, n.c})
    if (i >= 0) list.push_back(i);
  return list;
}

}  // namespace

Program::Program(const Graph& graph, const std::vector<int>& outputs) {
  const int n = graph.size();
  std::vector<bool> needed(n, false);
  std::vector<int> last_use(n, -1);
  for (int o : outputs) {
    needed[o] = true;
    last_use[o] = n;  // outputs are kept to the end
  }
  for (int i = n - 1; i >= 0; --i) {
    if (!needed[i]) continue;
    for (int a : arguments_of(graph[i])) {
      needed[a] = true;
      last_use[a] = std::max(last_use[a], i);
    }
  }

  // Scalars first: each is a step, and gets a slot of its own where it is an output.
  std::vector<int> scalar_of(n, -1);
  std::vector<Operand> place(n);
  for (int i = 0; i < n; ++i) {
    const Node& node = graph[i];
    if (!needed[i] || node.on_rows) continue;
    const auto step = [&](int a) { return a < 0 ? -1 : scalar_of[a]; };
    scalar_of[i] = static_cast<int>(scalars_.size());
    place[i] = {Where::scalar, scalar_of[i]};
    scalars_.push_back({node.op, node.value, step(node.a), step(node.b), step(node.c), node.index});
  }
  for (int o : outputs) {
    if (place[o].where != Where::scalar) continue;
    place[o] = {Where::slot, n_slots_++};
    broadcast_.push_back({scalar_of[o], place[o].index});
  }

  // Then the rows, with slots reused as soon as their content is no longer needed.
  std::vector<int> free_slots;
  for (int i = 0; i < n; ++i) {
    const Node& node = graph[i];
    if (!needed[i] || !node.on_rows) continue;
    if (node.op == Op::column) {
      place[i] = {Where::column, node.index};
      continue;
    }
    const auto operand = [&](int a) { return a < 0 ? Operand() : place[a]; };
    Instruction step{node.op, node.value, operand(node.a), operand(node.b), operand(node.c), -1};
    std::vector<int> arguments = arguments_of(node);
    std::sort(arguments.begin(), arguments.end());
    arguments.erase(std::unique(arguments.begin(), arguments.end()), arguments.end());
    for (int a : arguments)
      if (graph[a].on_rows && place[a].where == Where::slot && last_use[a] == i)
        free_slots.push_back(place[a].index);
    if (free_slots.empty()) free_slots.push_back(n_slots_++);
    step.slot = free_slots.back();
    free_slots.pop_back();
    place[i] = {Where::slot, step.slot};
    instructions_.push_back(step);
  }
  for (int o : outputs) outputs_.push_back(place[o]);
}

void Program::prepare(const double* parameters, long rows, Workspace& w) const {
  w.length_ = static_cast<int>(std::min<long>(kBlockRows, rows));
  w.scalars_.resize(scalars_.size());
  double* values = w.scalars_.data();
  const auto value = [&](int i) { return i < 0 ? 0.0 : values[i]; };
  for (std::size_t i = 0; i < scalars_.size(); ++i) {
    const ScalarStep& s = scalars_[i];
    values[i] = s.op == Op::parameter
                    ? parameters[s.index]
                    : evaluate_scalar(s.op, s.value, value(s.a), value(s.b), value(s.c));
  }
  w.slots_.resize(static_cast<std::size_t>(n_slots_) * w.length_);
  for (const auto& pair : broadcast_) std::fill_n(w.slot(pair.second), w.length_, values[pair.first]);
  w.outputs_.resize(outputs_.size());
}

inline Input Program::locate(const Operand& o, const Workspace& w, const Columns& c, long first) {
  switch (o.where) {
    case Where::column: return {c.data[o.index] + first, 1};
    case Where::slot: return {w.slot(o.index), 1};
    case Where::scalar: return {&w.scalars_[o.index], 0};
    default: return {};
  }
}

void Program::run_block(Workspace& w, const Columns& columns, long first, int n) const {
  for (const Instruction& s : instructions_)
    evaluate_block(s.op, s.value, locate(s.a, w, columns, first), locate(s.b, w, columns, first), locate(s.c, w, columns, first),
                   w.slot(s.slot), n);
  for (std::size_t k = 0; k < outputs_.size(); ++k)
    w.outputs_[k] = locate(outputs_[k], w, columns, first).data;
}

void Program::run_all(const double* parameters, const Columns& columns, double* out) const {
  Workspace w;
  prepare(parameters, columns.rows, w);
  for (long first = 0; first < columns.rows; first += kBlockRows) {
    const int n = static_cast<int>(std::min<long>(kBlockRows, columns.rows - first));
    run_block(w, columns, first, n);
    std::copy_n(w.output(0), n, out + first);
  }
}

}  // namespace tundrel
