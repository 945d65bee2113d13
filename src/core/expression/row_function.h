// A value that has to be solved for, row by row, from others: a root, an integral. To an expression it is an operation of as many
// arguments as it needs, whose derivatives are expressions again.
#pragma once
#include <vector>

#include "kernel.h"

namespace tundrel {

class Graph;

class RowFunction {
 public:
  virtual ~RowFunction() = default;
  // For n rows, at most kBlockRows; not a number where there is none. `out` may be one of the inputs.
  virtual void evaluate(const std::vector<Input>& inputs, double* out, int n) const = 0;
  // The derivative of node `self` of `graph`, which is this function of `inputs`, with respect to input `which`.
  virtual int partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const = 0;
};

}  // namespace tundrel
