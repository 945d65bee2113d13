#include "program.h"

#include <algorithm>
#include <atomic>
#include <cstdint>

namespace tundrel {
Program::Program(const Graph& graph, const std::vector<int>& outputs) {
  static std::atomic<std::int64_t> made{0};
  number_ = ++made;
  std::vector<Node> nodes;
  for (int i = 0; i < graph.size(); ++i) nodes.push_back(graph[i]);
  const auto arguments_of = [&](int i) {
    if (nodes[i].op == Op::solved) return graph.arguments(i);
    std::vector<int> list;
    for (int argument : {nodes[i].a, nodes[i].b, nodes[i].c})
      if (argument >= 0) list.push_back(argument);
    return list;
  };
  std::vector<bool> needed(nodes.size(), false);
  std::vector<int> uses(nodes.size(), 0);
  for (int o : outputs) {
    needed[o] = true;
    uses[o] = 2;  // at the least: outputs are kept
  }
  for (int i = graph.size() - 1; i >= 0; --i) {
    if (!needed[i]) continue;
    for (int a : arguments_of(i)) {
      needed[a] = true;
      ++uses[a];
    }
  }
  // The sign of a product that is wanted with the other sign only goes to a factor that does not depend on rows.
  for (int i = 0; i < graph.size(); ++i) {
    if (!needed[i] || nodes[i].op != Op::negate) continue;
    const int product = nodes[i].a;
    int one = nodes[product].a, other = nodes[product].b;
    if (nodes[product].op != Op::multiply || uses[product] > 1 || nodes[one].on_rows == nodes[other].on_rows) continue;
    if (nodes[one].on_rows) std::swap(one, other);
    nodes[i].op = Op::multiply;
    nodes[i].a = static_cast<int>(nodes.size());
    nodes[i].b = other;
    nodes.push_back({Op::negate, one});
    needed[product] = false;
    needed.push_back(true);
  }
  const int n = static_cast<int>(nodes.size());

  // Scalars first: each is a step.
  std::vector<int> place(n, -1);
  for (int i = 0; i < n; ++i) {
    const Node& node = nodes[i];
    if (needed[i] && node.op == Op::column) n_columns_ = std::max(n_columns_, node.index + 1);
    if (needed[i] && node.op == Op::tabled) {
      tabled_.push_back(node.index);
      table_ = graph.table();
      table_order_ = std::max(table_order_, table_->order(node.index));
    }
    if (!needed[i] || node.on_rows) continue;
    const auto step = [&](int a) { return a < 0 ? -1 : place[a]; };
    place[i] = static_cast<int>(scalars_.size());
    scalars_.push_back({node.op, node.value, step(node.a), step(node.b), step(node.c), node.index});
    if (node.op == Op::solved) scalars_.back().index = add_call(graph, node, arguments_of(i), place, nodes);
  }
  const int first_column = static_cast<int>(scalars_.size()), first_tabled = first_column + n_columns_;
  const int first_slot = first_tabled + static_cast<int>(tabled_.size());

  // One that is an output gets a slot, too.
  std::vector<int> place_out = place;
  for (int o : outputs) {
    if (nodes[o].on_rows || place_out[o] >= first_slot) continue;
    broadcast_.push_back({place[o], n_slots_});
    place_out[o] = first_slot + n_slots_++;
  }

  // Then the rows, with slots reused as soon as their content is no longer needed.
  std::vector<int> last_use(n, -1);
  for (int i = 0; i < n; ++i)
    if (needed[i])
      for (int a : arguments_of(i)) last_use[a] = i;
  for (int o : outputs) last_use[o] = n;
  std::vector<int> free_slots;
  for (int i = 0; i < n; ++i) {
    const Node& node = nodes[i];
    if (!needed[i] || !node.on_rows) continue;
    if (node.op == Op::column) {
      place[i] = place_out[i] = first_column + node.index;
      continue;
    }
    if (node.op == Op::tabled) {
      place[i] = place_out[i] = first_tabled + static_cast<int>(std::find(tabled_.begin(), tabled_.end(), node.index) - tabled_.begin());
      continue;
    }
    const auto operand = [&](int a) { return a < 0 ? Operand() : Operand{place[a], nodes[a].on_rows ? 1 : 0}; };
    Instruction step{node.op, node.value, operand(node.a), operand(node.b), operand(node.c), -1};
    if (node.op == Op::solved) step.call = add_call(graph, node, arguments_of(i), place, nodes);
    std::vector<int> arguments = arguments_of(i);
    std::sort(arguments.begin(), arguments.end());
    arguments.erase(std::unique(arguments.begin(), arguments.end()), arguments.end());
    for (int a : arguments)
      if (place[a] >= first_slot && last_use[a] == i) free_slots.push_back(place[a] - first_slot);
    if (free_slots.empty()) free_slots.push_back(n_slots_++);
    step.slot = free_slots.back();
    free_slots.pop_back();
    place[i] = place_out[i] = first_slot + step.slot;
    instructions_.push_back(step);
  }
  for (int o : outputs) outputs_.push_back(place_out[o]);
}

int Program::add_call(const Graph& graph, const Node& node, const std::vector<int>& inputs, const std::vector<int>& place, const std::vector<Node>& nodes) {
  Call call{graph.shared_function(node), {}};
  for (int i : inputs) call.inputs.push_back({place[i], nodes[i].on_rows ? 1 : 0});
  calls_.push_back(std::move(call));
  return static_cast<int>(calls_.size()) - 1;
}

void Program::solve(const Call& call, Workspace& w, double* out, int n) const {
  w.inputs_.clear();
  for (const Operand& input : call.inputs) w.inputs_.push_back({w.places_[input.place], input.step});
  call.function->evaluate(w.inputs_, out, n);
}

void Program::lay_out(Workspace& w, int length) const {
  w.laid_out_for_ = number_;
  w.length_ = length;
  w.scalars_.resize(scalars_.size());
  w.slots_.resize(static_cast<std::size_t>(n_slots_) * length);
  const std::size_t first_slot = scalars_.size() + n_columns_ + tabled_.size();
  w.places_.resize(first_slot + n_slots_);
  for (std::size_t i = 0; i < scalars_.size(); ++i) w.places_[i] = w.scalars_.data() + i;
  for (int k = 0; k < n_slots_; ++k) w.places_[first_slot + k] = w.slot(k);
  w.outputs_.resize(outputs_.size());
}

void Program::prepare(const double* parameters, const Columns& columns, Workspace& w) const {
  const int length = static_cast<int>(std::min<std::int64_t>(kBlockRows, columns.rows));
  if (w.laid_out_for_ != number_ || w.length_ != length) lay_out(w, length);
  double* values = w.scalars_.data();
  const auto value = [&](int i) { return i < 0 ? 0.0 : values[i]; };
  for (std::size_t i = 0; i < scalars_.size(); ++i) {
    const ScalarStep& s = scalars_[i];
    if (s.op == Op::solved) {
      solve(calls_[s.index], w, &values[i], 1);
      continue;
    }
    values[i] = s.op == Op::parameter  ? parameters[s.index]
                : s.op == Op::constant ? s.value
                                       : evaluate_scalar(s.op, s.value, value(s.a), value(s.b), value(s.c));
  }
  for (const auto& pair : broadcast_) std::fill_n(w.slot(pair.second), length, values[pair.first]);
  if (table_) w.table_ = table_->outputs(parameters, columns, table_order_);
}

void Program::run_block(Workspace& w, const Columns& columns, std::int64_t first, int n) const {
  for (int k = 0; k < n_columns_; ++k) w.places_[scalars_.size() + k] = columns.data[k] + first;
  for (std::size_t k = 0; k < tabled_.size(); ++k) w.places_[scalars_.size() + n_columns_ + k] = w.table_->col(tabled_[k]).data() + first;
  const auto input = [&w](const Operand& o) { return Input{w.places_[o.place], o.step}; };
  // Of a table of one row, as one series that is integrated is, numbers are plain ones. An argument that an operation has not reads what it has no use for.
  const bool one = columns.rows == 1;
  for (const Instruction& s : instructions_) {
    if (s.call >= 0)
      solve(calls_[s.call], w, w.slot(s.slot), n);
    else if (one)
      *w.slot(s.slot) = evaluate_scalar(s.op, s.value, *w.places_[s.a.place], *w.places_[s.b.place], *w.places_[s.c.place]);
    else
      evaluate_block(s.op, s.value, input(s.a), input(s.b), input(s.c), w.slot(s.slot), n);
  }
  for (std::size_t k = 0; k < outputs_.size(); ++k) w.outputs_[k] = w.places_[outputs_[k]];
}

void Program::run_all(const double* parameters, const Columns& columns, double* out) const {
  Workspace w;
  prepare(parameters, columns, w);
  for (std::int64_t first = 0; first < columns.rows; first += kBlockRows) {
    const int n = static_cast<int>(std::min<std::int64_t>(kBlockRows, columns.rows - first));
    run_block(w, columns, first, n);
    std::copy_n(w.output(0), n, out + first);
  }
}

}  // namespace tundrel
