// The root of an expression in one unknown, between two ends at which it has opposite signs: Newton's steps, kept inside a bracket
// that shrinks, to rounding. Derivatives by the implicit function theorem.
#pragma once
#include <vector>

#include "../expression/program.h"
#include "block_memory.h"
#include "template.h"

namespace tundrel {

// Inputs: the ends, then what else the expression holds.
class RootFunction : public RowFunction {
 public:
  explicit RootFunction(Template equation);

  void evaluate(const std::vector<Input>& inputs, double* out, int n) const override;
  int partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const override;

 private:
  void search(const std::vector<Input>& inputs, double* out, int n) const;

  mutable BlockMemory memory_;
  Template equation_, slope_;
  std::vector<Template> others_;  // derivatives in the other values
  Program program_;               // equation and slope, over columns
};

}  // namespace tundrel
