// Fitted values that a program gives.
#pragma once
#include <cstdint>
#include "row_model.h"

namespace tundrel {

class ProgramModel : public RowModel {
 public:
  // `fitted` is a node of `graph`, whose parameters are the free ones.
  ProgramModel(Graph graph, int fitted, int n_parameters, Columns columns);

  int size() const override { return n_parameters_; }
  std::int64_t rows() const override { return columns_.rows; }
  bool exact() const override { return true; }
  std::unique_ptr<RowModel> clone() const override { return std::make_unique<ProgramModel>(graph_, fitted_, n_parameters_, columns_); }
  bool read(const Columns& columns) override {
    columns_ = columns;
    return true;
  }
  bool begin(const Eigen::VectorXd& x, int order, Differences kind, Evaluation& work) override;
  const double* const* block(std::int64_t first, int n) override;

 private:
  Graph graph_;
  int fitted_, n_parameters_;
  Columns columns_;
  Program programs_[3];  // by order
  bool made_[3] = {false, false, false};
  const Program* current_ = nullptr;
  Program::Workspace workspace_;
};

}  // namespace tundrel
