#include "joint_conditions.h"

#include <algorithm>
#include <cmath>

#include "../expression/derivative.h"

namespace tundrel {
namespace {

double number(const Program& program, const Eigen::VectorXd& x) {
  Columns one_row;
  one_row.rows = 1;
  double out = 0;
  program.run_all(x.data(), one_row, &out);
  return out;
}

}  // namespace

JointConditions::JointConditions(Graph graph, const std::vector<int>& nodes, int n_equalities, int n_parameters)
    : n_equalities_(n_equalities) {
  for (int node : nodes) {
    const std::vector<int> gradient = gradient_nodes(graph, node, n_parameters);
    values_.emplace_back(graph, std::vector<int>{node});
    slopes_.emplace_back();
    for (int g : gradient) slopes_.back().emplace_back(graph, std::vector<int>{g});
    curvatures_.emplace_back();
    for (int h : hessian_nodes(graph, node, n_parameters)) curvatures_.back().emplace_back(graph, std::vector<int>{h});
  }
}

Eigen::VectorXd JointConditions::values(const Eigen::VectorXd& x) const {
  Eigen::VectorXd out(count());
  for (int i = 0; i < count(); ++i) out[i] = number(values_[i], x);
  return out;
}

Eigen::VectorXd JointConditions::misses(const Eigen::VectorXd& x) const {
  Eigen::VectorXd out = values(x);
  for (int i = 0; i < count(); ++i) out[i] = i < n_equalities_ ? std::fabs(out[i]) : std::max(0.0, -out[i]);
  return out;
}

Eigen::MatrixXd JointConditions::curvature(const Eigen::VectorXd& x, const Eigen::VectorXd& weights) const {
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(x.size(), x.size());
  for (int c = 0; c < count(); ++c) {
    if (weights[c] == 0) continue;
    for (Eigen::Index i = 0, k = 0; i < x.size(); ++i)
      for (Eigen::Index j = 0; j <= i; ++j, ++k) out(i, j) += weights[c] * number(curvatures_[c][k], x);
  }
  return out.selfadjointView<Eigen::Lower>();
}

Eigen::MatrixXd JointConditions::gradients(const Eigen::VectorXd& x) const {
  Eigen::MatrixXd out(x.size(), count());
  for (int i = 0; i < count(); ++i)
    for (Eigen::Index j = 0; j < x.size(); ++j) out(j, i) = number(slopes_[i][j], x);
  return out;
}

}  // namespace tundrel
