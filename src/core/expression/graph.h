// An expression as a directed acyclic graph in which equal subexpressions are one node.
#pragma once
#include <memory>
#include <unordered_map>
#include <vector>

#include "operation.h"
#include "row_function.h"
#include "table_function.h"

namespace tundrel {

struct Node {
  Op op;
  int a = -1, b = -1, c = -1;  // arguments: indices of earlier nodes
  int index = -1;              // which parameter or column, for leaves; which of the calls, for what is solved for
  double value = 0;            // constant, or the fixed value an operation carries
  bool on_rows = false;        // depends on a column
  bool on_parameters = false;  // depends on a parameter
};

// Nodes are only ever added, and always after their arguments, so that index order is an order of
// evaluation. Adding folds constants, drops neutral elements and shares what is already there.
class Graph {
 public:
  int constant(double value);
  int parameter(int index);
  int column(int index);
  int apply(Op op, int a, int b = -1, int c = -1, double value = 0);
  // An output of the graph's table function.
  int tabled(int index);
  void set_table(std::shared_ptr<const TableFunction> table) { table_ = std::move(table); }
  const std::shared_ptr<const TableFunction>& table() const { return table_; }
  int solved(std::shared_ptr<const RowFunction> function, const std::vector<int>& inputs);

  const Node& operator[](int i) const { return nodes_[i]; }
  int size() const { return static_cast<int>(nodes_.size()); }
  // Nodes that a node is made of.
  std::vector<int> arguments(int i) const;
  const RowFunction& function(const Node& solved) const { return *calls_[solved.index].function; }
  std::shared_ptr<const RowFunction> shared_function(const Node& solved) const { return calls_[solved.index].function; }
  bool is_constant(int i, double value) const;

 private:
  int insert(Node node);
  int simplified(Op op, int a, int b, int c);
  int whole_power(int base, int exponent);

  struct Call {
    std::shared_ptr<const RowFunction> function;
    std::vector<int> inputs;
  };

  std::vector<Node> nodes_;
  std::vector<Call> calls_;
  std::shared_ptr<const TableFunction> table_;
  std::unordered_multimap<std::size_t, int> places_;
};

}  // namespace tundrel
