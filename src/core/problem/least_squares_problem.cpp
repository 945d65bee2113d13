#include "least_squares_problem.h"

#include <algorithm>
#include <cstdint>
#include <utility>
#include <vector>

#include "../expression/derivative.h"
#include "../expression/linearity.h"
#include "../expression/row_sums.h"

namespace tundrel {
namespace {

using Block = Eigen::Map<const Eigen::ArrayXd>;

Program jacobian_program(Graph& graph, int residual, int n_parameters) {
  std::vector<int> outputs = gradient_nodes(graph, residual, n_parameters);
  outputs.push_back(residual);
  return Program(graph, outputs);
}

}  // namespace

LeastSquaresProblem::LeastSquaresProblem(Graph graph, int residual, int weighted_response,
                                         Columns columns, Bounds bounds, int threads)
    : graph_(std::move(graph)),
      residual_(residual),
      columns_(std::move(columns)),
      bounds_(std::move(bounds)),
      value_program_(graph_, {residual}),
      jacobian_program_(jacobian_program(graph_, residual, size())),
      response_program_(graph_, {weighted_response}) {
  work.threads = threads;
}

double LeastSquaresProblem::sum_of_squares(const Program& program, const Eigen::VectorXd& x) {
  const Segments segments(columns_.rows);
  sums_.setZero(segments.count);
  sweep_.run(work, program, x, columns_, segments,
             [&](const Program::Workspace& block, int s, std::int64_t, int n) { sums_[s] += row_product(block.output(0), block.output(0), n); });
  return sums_.sum();
}

double LeastSquaresProblem::value(const Eigen::VectorXd& x) {
  ++work.evaluations;
  const double total = sum_of_squares(value_program_, x);
  if (!std::isfinite(total)) ++work.refused;
  return total;
}

std::vector<int> LeastSquaresProblem::linear_parameters() {
  return tundrel::linear_parameters(graph_, residual_, size());
}

double LeastSquaresProblem::response_norm() {
  if (response_norm_ < 0)
    // values that were integrated carry an error of some roundings
    response_norm_ = std::sqrt(sum_of_squares(response_program_, bounds_.typical)) * (graph_.table() ? graph_.table()->roundings() : 1);
  return response_norm_;
}

void LeastSquaresProblem::linearise_into(const Eigen::VectorXd& x, Linearisation& at) {
  ++work.evaluations;
  if (!looked_ || latest_ != x) look_at(x);
  at.set(latest_value_, factors_[0].triangle());
  if (!at.usable) ++work.refused;
}

void LeastSquaresProblem::look_at(const Eigen::VectorXd& x) {
  const int p = size();
  const Segments segments(columns_.rows);
  const int block_rows = static_cast<int>(std::min<std::int64_t>(kBlockRows, columns_.rows));
  const bool curvature = curvature_expected;
  looked_ = curvature_known_ = false;
  if (curvature) make_curvature_programs();
  curvature_sums_.setZero(curvature ? curved_.size() : 0, segments.count);
  factors_.resize(segments.count, TriangularFactor(0, 0));
  for (TriangularFactor& factor : factors_) factor.clear(p + 1, block_rows);
  const Program& program = curvature ? *look_and_curvature_program_ : jacobian_program_;
  sweep_.run(work, program, x, columns_, segments, [&](const Program::Workspace& block, int s, std::int64_t, int n) {
    factors_[s].fold(block.outputs(), n);
    if (curvature) add_curvature(block, p, s, n);
  });
  for (int s = 1; s < segments.count; ++s) factors_[0].fold(factors_[s]);
  looked_ = true;
  latest_ = x;
  // The residuals are the last column, whose length the reflections have kept.
  latest_value_ = factors_[0].triangle().col(p).squaredNorm();
  if (curvature) finish_curvature();
}

void LeastSquaresProblem::make_curvature_programs() {
  if (curvature_program_) return;
  std::vector<int> first = gradient_nodes(graph_, residual_, size()), second{residual_};
  const std::vector<int> all = hessian_nodes(graph_, residual_, size());
  for (int k = 0; k < static_cast<int>(all.size()); ++k) {
    if (graph_.is_constant(all[k], 0)) continue;
    curved_.push_back(k);
    second.push_back(all[k]);
  }
  curvature_program_ = std::make_shared<const Program>(graph_, second);
  first.insert(first.end(), second.begin(), second.end());
  look_and_curvature_program_ = std::make_shared<const Program>(graph_, first);
}

// Of a block: output `residual` of the program, and the second derivatives after it.
void LeastSquaresProblem::add_curvature(const Program::Workspace& block, int residual, int segment, int n) {
  for (int k = 0; k < static_cast<int>(curved_.size()); ++k)
    curvature_sums_(k, segment) += row_product(block.output(residual), block.output(residual + 1 + k), n);
}

void LeastSquaresProblem::finish_curvature() {
  const int p = size();
  curvature_.setZero(p, p);
  for (std::size_t k = 0; k < curved_.size(); ++k) {
    int i = 0, j = curved_[k];
    while (j > i) j -= ++i;
    curvature_(i, j) = curvature_(j, i) = curvature_sums_.row(static_cast<Eigen::Index>(k)).sum();
  }
  curvature_known_ = true;
}

bool LeastSquaresProblem::residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) {
  if (!looked_ || !curvature_known_ || latest_ != x) {
    make_curvature_programs();
    const Segments segments(columns_.rows);
    curvature_known_ = false;
    curvature_sums_.setZero(curved_.size(), segments.count);
    sweep_.run(work, *curvature_program_, x, columns_, segments,
               [&](const Program::Workspace& block, int s, std::int64_t, int n) { add_curvature(block, 0, s, n); });
    finish_curvature();
    curvature_known_ = looked_ && latest_ == x;
  }
  curvature = curvature_;
  return curvature.allFinite();
}

bool LeastSquaresProblem::bend_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, Eigen::VectorXd& bend) {
  ++work.evaluations;
  const int p = size();
  if (!bend_program_) {
    std::vector<int> outputs = gradient_nodes(graph_, residual_, p);
    for (int node : hessian_nodes(graph_, residual_, p)) outputs.push_back(node);
    bend_program_ = std::make_shared<const Program>(graph_, outputs);
  }
  const Segments segments(columns_.rows);
  Eigen::MatrixXd sums = Eigen::MatrixXd::Zero(p, segments.count);
  sweep_.run(work, *bend_program_, x, columns_, segments, [&](const Program::Workspace& block, int s, std::int64_t, int n) {
    Eigen::ArrayXd second = Eigen::ArrayXd::Zero(n);
    for (int i = 0, k = p; i < p; ++i)
      for (int j = 0; j <= i; ++j, ++k) second += (i == j ? 1 : 2) * direction[i] * direction[j] * Block(block.output(k), n);
    for (int i = 0; i < p; ++i) sums(i, s) += row_product(block.output(i), second.data(), n);
  });
  bend = sums.rowwise().sum();
  return bend.allFinite();
}

}  // namespace tundrel
