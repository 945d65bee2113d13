// An expression as a directed acyclic graph in which equal subexpressions are one node.
#pragma once
#include <unordered_map>
#include <vector>

#include "operation.h"

namespace tundrel {

struct Node {
  Op op;
  int a = -1, b = -1, c = -1;  // arguments: indices of earlier nodes
  int index = -1;              // which parameter or column, for leaves
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

  const Node& operator[](int i) const { return nodes_[i]; }
  int size() const { return static_cast<int>(nodes_.size()); }
  bool is_constant(int i, double value) const;

 private:
  int insert(Node node);
  int simplified(Op op, int a, int b, int c);
  int whole_power(int base, int exponent);

  std::vector<Node> nodes_;
  std::unordered_multimap<std::size_t, int> places_;
};

}  // namespace tundrel
