#include "least_squares_problem.h"

#include <algorithm>
#include <utility>
#include <vector>

#include "../expression/derivative.h"
#include "../expression/linearity.h"
#include "row_sums.h"

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
  this->threads = threads;
}

double LeastSquaresProblem::sum_of_squares(const Program& program, const Eigen::VectorXd& x) {
  const Segments segments(columns_.rows);
  sums_.setZero(segments.count);
  sweep_.run(*this, program, x, columns_, segments,
             [&](const Program::Workspace& work, int s, long, int n) { sums_[s] += row_product(work.output(0), work.output(0), n); });
  return sums_.sum();
}

double LeastSquaresProblem::value(const Eigen::VectorXd& x) {
  ++evaluations;
  const double total = sum_of_squares(value_program_, x);
  if (!std::isfinite(total)) ++refused;
  return total;
}

std::vector<int> LeastSquaresProblem::linear_parameters() {
  return tundrel::linear_parameters(graph_, residual_, size());
}

double LeastSquaresProblem::response_norm() {
  if (response_norm_ < 0)
    response_norm_ = std::sqrt(sum_of_squares(response_program_, bounds_.typical));
  return response_norm_;
}

void LeastSquaresProblem::linearise_into(const Eigen::VectorXd& x, Linearisation& at) {
  ++evaluations;
  if (!looked_ || latest_ != x) linearise_afresh(x);
  at.set(latest_value_, factors_[0].triangle());
  if (!at.usable) ++refused;
}

void LeastSquaresProblem::linearise_afresh(const Eigen::VectorXd& x) {
  const int p = size();
  const Segments segments(columns_.rows);
  const int block_rows = static_cast<int>(std::min<long>(kBlockRows, columns_.rows));
  looked_ = false;
  sums_.setZero(segments.count);
  factors_.resize(segments.count, TriangularFactor(0, 0));
  for (TriangularFactor& factor : factors_) factor.clear(p + 1, block_rows);
  sweep_.run(*this, jacobian_program_, x, columns_, segments, [&](const Program::Workspace& work, int s, long, int n) {
    if (!std::isfinite(sums_[s])) return;
    sums_[s] += row_product(work.output(p), work.output(p), n);
    factors_[s].fold(work.outputs(), n);
  });
  for (int s = 1; s < segments.count; ++s) factors_[0].fold(factors_[s]);
  looked_ = true;
  latest_ = x;
  latest_value_ = sums_.sum();
}

bool LeastSquaresProblem::residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) {
  const int p = size();
  if (!curvature_program_) {
    std::vector<int> outputs{residual_};
    for (int node : hessian_nodes(graph_, residual_, p)) outputs.push_back(node);
    curvature_program_ = std::make_shared<const Program>(graph_, outputs);
  }
  const int n_pairs = p * (p + 1) / 2;
  const Segments segments(columns_.rows);
  Eigen::MatrixXd sums = Eigen::MatrixXd::Zero(n_pairs, segments.count);
  sweep_.run(*this, *curvature_program_, x, columns_, segments, [&](const Program::Workspace& work, int s, long, int n) {
    for (int k = 0; k < n_pairs; ++k) sums(k, s) += row_product(work.output(0), work.output(k + 1), n);
  });
  curvature.resize(p, p);
  int k = 0;
  for (int i = 0; i < p; ++i)
    for (int j = 0; j <= i; ++j, ++k) curvature(i, j) = curvature(j, i) = sums.row(k).sum();
  return curvature.allFinite();
}

bool LeastSquaresProblem::bend_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, Eigen::VectorXd& bend) {
  ++evaluations;
  const int p = size();
  if (!bend_program_) {
    std::vector<int> outputs = gradient_nodes(graph_, residual_, p);
    for (int node : hessian_nodes(graph_, residual_, p)) outputs.push_back(node);
    bend_program_ = std::make_shared<const Program>(graph_, outputs);
  }
  const Segments segments(columns_.rows);
  Eigen::MatrixXd sums = Eigen::MatrixXd::Zero(p, segments.count);
  sweep_.run(*this, *bend_program_, x, columns_, segments, [&](const Program::Workspace& work, int s, long, int n) {
    Eigen::ArrayXd second = Eigen::ArrayXd::Zero(n);
    for (int i = 0, k = p; i < p; ++i)
      for (int j = 0; j <= i; ++j, ++k) second += (i == j ? 1 : 2) * direction[i] * direction[j] * Block(work.output(k), n);
    for (int i = 0; i < p; ++i) sums(i, s) += row_product(work.output(i), second.data(), n);
  });
  bend = sums.rowwise().sum();
  return bend.allFinite();
}

}  // namespace tundrel
