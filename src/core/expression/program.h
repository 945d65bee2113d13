// A list of instructions compiled from a graph, run over blocks of rows.
#pragma once
#include <Eigen/Core>
#include <cstdint>
#include <memory>
#include <vector>

#include "columns.h"
#include "graph.h"
#include "kernel.h"

namespace tundrel {

class Program {
 public:
  // Buffers of one run; each thread has its own.
  class Workspace {
   public:
    Workspace() = default;
    // Places are in a workspace's own memory: they cannot be copied.
    Workspace(Workspace&&) = default;
    Workspace& operator=(Workspace&&) = default;

    // The values of output `k` for the rows of the last block.
    const double* output(int k) const { return outputs_[k]; }
    const double* const* outputs() const { return outputs_.data(); }

   private:
    friend class Program;
    double* slot(int i) { return slots_.data() + static_cast<std::size_t>(i) * length_; }

    std::int64_t laid_out_for_ = 0;  // number of the program
    int length_ = 0;         // rows of a block: kBlockRows, or all rows of a small table
    std::vector<double> scalars_, slots_;
    std::vector<const double*> places_, outputs_;
    std::vector<Input> inputs_;
    std::shared_ptr<const Eigen::MatrixXd> table_;
  };

  Program() = default;
  Program(const Graph& graph, const std::vector<int>& outputs);

  int n_outputs() const { return static_cast<int>(outputs_.size()); }

  // Does once all that is not done row by row.
  void prepare(const double* parameters, const Columns& columns, Workspace& workspace) const;
  // Evaluates rows first .. first + n - 1, n at most kBlockRows.
  void run_block(Workspace& workspace, const Columns& columns, std::int64_t first, int n) const;
  // Evaluates output 0 for all rows.
  void run_all(const double* parameters, const Columns& columns, double* out) const;

 private:
  // Where operands lie: scalars first, then slots, then columns.
  struct Operand {
    int place = 0;
    int step = 0;  // see Input
  };
  struct Instruction {
    Op op;
    double value;
    Operand a, b, c;
    int slot;
    int call = -1;  // of a function that solves
  };
  struct ScalarStep {
    Op op;
    double value;
    int a, b, c, index;
  };
  struct Call {
    std::shared_ptr<const RowFunction> function;
    std::vector<Operand> inputs;
  };

  void lay_out(Workspace& workspace, int length) const;
  void solve(const Call& call, Workspace& workspace, double* out, int n) const;
  int add_call(const Graph& graph, const Node& node, const std::vector<int>& inputs, const std::vector<int>& place, const std::vector<Node>& nodes);

  std::int64_t number_ = 0;  // no other program has it but copies
  std::vector<ScalarStep> scalars_;           // what is evaluated once a run, in order
  std::vector<std::pair<int, int>> broadcast_;  // scalar -> slot that repeats it for a whole block of an output
  std::vector<Instruction> instructions_;
  std::vector<Call> calls_;
  std::vector<int> outputs_;  // their places
  int n_slots_ = 0, n_columns_ = 0;
  std::shared_ptr<const TableFunction> table_;
  std::vector<int> tabled_;  // outputs of it that are wanted: their places follow those of the columns
  int table_order_ = 0;
};

}  // namespace tundrel
