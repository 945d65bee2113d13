// The root of an expression in one unknown, between two ends at which it has opposite signs: Newton's steps, kept inside a bracket
// that shrinks, to rounding. Derivatives by the implicit function theorem.
#pragma once
#include <mutex>
#include <vector>

#include "../expression/program.h"
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

  // Blocks that were solved last: values, slopes and curvature ask for the same ones in turn.
  struct Kept {
    std::vector<double> asked, found;
  };
  static constexpr std::size_t kMostKept = 64;
  mutable std::mutex mutex_;
  mutable std::vector<Kept> kept_;
  mutable std::size_t next_ = 0;

  Template equation_, slope_;
  std::vector<Template> others_;  // derivatives in the other values
  Program program_;               // equation and slope, over columns
};

}  // namespace tundrel
