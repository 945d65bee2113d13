#include "program.h"

#include <algorithm>
#include <atomic>

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
  static std::atomic<long> made{0};
  number_ = ++made;
  std::vector<Node> nodes;
  for (int i = 0; i < graph.size(); ++i) nodes.push_back(graph[i]);
  std::vector<bool> needed(nodes.size(), false);
  std::vector<int> uses(nodes.size(), 0);
  for (int o : outputs) {
    needed[o] = true;
    uses[o] = 2;  // at the least: outputs are kept
  }
  for (int i = graph.size() - 1; i >= 0; --i) {
    if (!needed[i]) continue;
    for (int a : arguments_of(nodes[i])) {
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
    if (!needed[i] || node.on_rows) continue;
    const auto step = [&](int a) { return a < 0 ? -1 : place[a]; };
    place[i] = static_cast<int>(scalars_.size());
    scalars_.push_back({node.op, node.value, step(node.a), step(node.b), step(node.c), node.index});
  }
  const int first_column = static_cast<int>(scalars_.size()), first_slot = first_column + n_columns_;

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
      for (int a : arguments_of(nodes[i])) last_use[a] = i;
  for (int o : outputs) last_use[o] = n;
  std::vector<int> free_slots;
  for (int i = 0; i < n; ++i) {
    const Node& node = nodes[i];
    if (!needed[i] || !node.on_rows) continue;
    if (node.op == Op::column) {
      place[i] = place_out[i] = first_column + node.index;
      continue;
    }
    const auto operand = [&](int a) { return a < 0 ? Operand() : Operand{place[a], nodes[a].on_rows ? 1 : 0}; };
    Instruction step{node.op, node.value, operand(node.a), operand(node.b), operand(node.c), -1};
    std::vector<int> arguments = arguments_of(node);
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

void Program::lay_out(Workspace& w, int length) const {
  w.laid_out_for_ = number_;
  w.length_ = length;
  w.scalars_.resize(scalars_.size());
  w.slots_.resize(static_cast<std::size_t>(n_slots_) * length);
  const std::size_t first_slot = scalars_.size() + n_columns_;
  w.places_.resize(first_slot + n_slots_);
  for (std::size_t i = 0; i < scalars_.size(); ++i) w.places_[i] = w.scalars_.data() + i;
  for (int k = 0; k < n_slots_; ++k) w.places_[first_slot + k] = w.slot(k);
  w.outputs_.resize(outputs_.size());
}

void Program::prepare(const double* parameters, long rows, Workspace& w) const {
  const int length = static_cast<int>(std::min<long>(kBlockRows, rows));
  if (w.laid_out_for_ != number_ || w.length_ != length) lay_out(w, length);
  double* values = w.scalars_.data();
  const auto value = [&](int i) { return i < 0 ? 0.0 : values[i]; };
  for (std::size_t i = 0; i < scalars_.size(); ++i) {
    const ScalarStep& s = scalars_[i];
    values[i] = s.op == Op::parameter  ? parameters[s.index]
                : s.op == Op::constant ? s.value
                                       : evaluate_scalar(s.op, s.value, value(s.a), value(s.b), value(s.c));
  }
  for (const auto& pair : broadcast_) std::fill_n(w.slot(pair.second), length, values[pair.first]);
}

void Program::run_block(Workspace& w, const Columns& columns, long first, int n) const {
  for (int k = 0; k < n_columns_; ++k) w.places_[scalars_.size() + k] = columns.data[k] + first;
  const auto input = [&w](const Operand& o) { return Input{w.places_[o.place], o.step}; };
  for (const Instruction& s : instructions_) evaluate_block(s.op, s.value, input(s.a), input(s.b), input(s.c), w.slot(s.slot), n);
  for (std::size_t k = 0; k < outputs_.size(); ++k) w.outputs_[k] = w.places_[outputs_[k]];
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
