#include "program_model.h"

#include <cstdint>
#include <utility>
#include <vector>

#include "../expression/derivative.h"

namespace tundrel {

ProgramModel::ProgramModel(Graph graph, int fitted, int n_parameters, Columns columns)
    : graph_(std::move(graph)), fitted_(fitted), n_parameters_(n_parameters), columns_(std::move(columns)) {}

bool ProgramModel::begin(const Eigen::VectorXd& x, int order, Differences, Evaluation&) {
  if (!made_[order]) {
    std::vector<int> outputs{fitted_};
    if (order > 0)
      for (int node : gradient_nodes(graph_, fitted_, n_parameters_)) outputs.push_back(node);
    if (order > 1)
      for (int node : hessian_nodes(graph_, fitted_, n_parameters_)) outputs.push_back(node);
    programs_[order] = Program(graph_, outputs);
    made_[order] = true;
  }
  current_ = &programs_[order];
  current_->prepare(x.data(), columns_, workspace_);
  return true;  // what is not finite shows in the sums
}

const double* const* ProgramModel::block(std::int64_t first, int n) {
  current_->run_block(workspace_, columns_, first, n);
  return workspace_.outputs();
}

}  // namespace tundrel
