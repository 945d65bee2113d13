// A list of instructions compiled from a graph, run over blocks of rows.
#pragma once
#include <vector>

#include "graph.h"
#include "kernel.h"

namespace tundrel {

// The measurements as the core sees them: columns of equal length, owned by someone else.
struct Columns {
  std::vector<const double*> data;
  long rows = 0;
};

class Program {
 public:
  // Buffers of one run; each thread has its own.
  class Workspace {
   public:
    // The values of output `k` for the rows of the last block.
    const double* output(int k) const { return outputs_[k]; }
    const double* const* outputs() const { return outputs_.data(); }

   private:
    friend class Program;
    double* slot(int i) { return slots_.data() + static_cast<std::size_t>(i) * length_; }
    const double* slot(int i) const { return slots_.data() + static_cast<std::size_t>(i) * length_; }

    int length_ = 0;  // rows of a block: kBlockRows, or all rows of a small table
    std::vector<double> scalars_, slots_;
    std::vector<const double*> outputs_;
  };

  Program() = default;
  Program(const Graph& graph, const std::vector<int>& outputs);

  int n_outputs() const { return static_cast<int>(outputs_.size()); }

  // Does once all that does not depend on rows, for a table of `rows` rows.
  void prepare(const double* parameters, long rows, Workspace& workspace) const;
  // Evaluates rows first .. first + n - 1, n at most kBlockRows.
  void run_block(Workspace& workspace, const Columns& columns, long first, int n) const;
  // Evaluates output 0 for all rows.
  void run_all(const double* parameters, const Columns& columns, double* out) const;

 private:
  enum class Where { nowhere, column, slot, scalar };
  struct Operand {
    Where where = Where::nowhere;
    int index = -1;  // of the column, the slot or the scalar
  };
  struct Instruction {
    Op op;
    double value;
    Operand a, b, c;
    int slot;
  };
  struct ScalarStep {
    Op op;
    double value;
    int a, b, c, index;
  };

  static Input locate(const Operand& o, const Workspace& w, const Columns& c, long first);

  std::vector<ScalarStep> scalars_;           // what is evaluated once a run, in order
  std::vector<std::pair<int, int>> broadcast_;  // scalar -> slot that repeats it for a whole block of an output
  std::vector<Instruction> instructions_;
  std::vector<Operand> outputs_;
  int n_slots_ = 0;
};

}  // namespace tundrel
