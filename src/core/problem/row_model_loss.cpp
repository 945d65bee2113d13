#include "row_model_loss.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>

#include "../expression/derivative.h"
#include "../expression/substitute.h"
#include "differences.h"
#include "lower_triangle.h"
#include "triangular_factor.h"

namespace tundrel {
namespace {

using Block = Eigen::Map<const Eigen::ArrayXd>;

}  // namespace

RowModelLoss::RowModelLoss(std::unique_ptr<RowModel> model, Graph graph, const RowLoss& loss, int fitted, Columns columns, Bounds bounds)
    : model_(std::move(model)), loss_(loss), fitted_(fitted), columns_(std::move(columns)), bounds_(std::move(bounds)) {
  node_ = copied(graph, {loss.smooth}, graph_, [&](Graph& to, const Node& leaf) {
    return leaf.op == Op::column && leaf.index == fitted ? to.parameter(size()) : -1;
  })[0];
  model_->met = [this](const Eigen::VectorXd& x, const Eigen::VectorXd& values) { note_met(x, sum_of_losses(x, values)); };
}

const Program& RowModelLoss::program(int order) {
  if (made_[order]) return programs_[order];
  const int p = size();
  std::vector<int> outputs{node_};
  if (order > 0) {
    const std::vector<int> slopes = gradient_nodes(graph_, node_, p + 1);
    outputs.push_back(slopes[p]);
    outputs.insert(outputs.end(), slopes.begin(), slopes.end() - 1);
  }
  // row by row: pairs of parameters, then those of each with the fitted value, then the fitted value twice
  if (order > 1)
    for (int node : hessian_nodes(graph_, node_, p + 1)) outputs.push_back(node);
  Graph on_rows;
  const std::vector<int> nodes = copied(graph_, outputs, on_rows, [&](Graph& to, const Node& leaf) {
    return leaf.op == Op::parameter && leaf.index == p ? to.column(fitted_) : -1;
  });
  programs_[order] = Program(on_rows, nodes);
  made_[order] = true;
  return programs_[order];
}

// Calls use(outputs of the loss, those of the model, number of rows) for each block.
template <class Use>
bool RowModelLoss::for_blocks(const Eigen::VectorXd& x, int order, const Use& use) {
  if (!model_->begin(x, order > 1 && !model_->exact() ? 1 : order, differences(), work)) return false;
  const Program& loss = program(order);
  Program::Workspace space;
  loss.prepare(x.data(), columns_, space);
  Columns here = columns_;
  for (std::int64_t first = 0; first < model_->rows(); first += kBlockRows) {
    const int n = static_cast<int>(std::min<std::int64_t>(kBlockRows, model_->rows() - first));
    const double* const* fitted = model_->block(first, n);
    here.data[fitted_] = fitted[0] - first;
    loss.run_block(space, here, first, n);
    use(space.outputs(), fitted, n);
  }
  return true;
}

double RowModelLoss::sum_of_losses(const Eigen::VectorXd& x, const Eigen::VectorXd& fitted) {
  Columns here = columns_;
  here.data[fitted_] = fitted.data();
  here.rows = fitted.size();
  Eigen::VectorXd rows(fitted.size());
  program(0).run_all(x.data(), here, rows.data());
  return rows.sum();
}

double RowModelLoss::value(const Eigen::VectorXd& x) {
  if (!calls_user()) ++work.evaluations;
  double sum = 0;
  const bool usable = for_blocks(x, 0, [&](const double* const* loss, const double* const*, int n) { sum += Block(loss[0], n).sum(); });
  if (usable && std::isfinite(sum)) {
    largest_ = std::max(largest_, std::fabs(sum));
    return sum;
  }
  if (!calls_user() || usable) ++work.refused;
  return std::numeric_limits<double>::infinity();
}

Slope RowModelLoss::slope(const Eigen::VectorXd& x) {
  if (!calls_user()) ++work.evaluations;
  const int p = size();
  Slope out{true, 0, Eigen::VectorXd::Zero(p)};
  const bool usable = for_blocks(x, 1, [&](const double* const* loss, const double* const* fitted, int n) {
    out.value += Block(loss[0], n).sum();
    for (int j = 0; j < p; ++j) out.gradient[j] += (Block(loss[1], n) * Block(fitted[1 + j], n) + Block(loss[2 + j], n)).sum();
  });
  if (usable && std::isfinite(out.value) && out.gradient.allFinite()) return out;
  ++work.refused;
  return {};
}

Expansion RowModelLoss::expand(const Eigen::VectorXd& x) {
  if (!calls_user()) ++work.evaluations;
  const int p = size();
  Expansion out;
  out.value = 0;
  out.gradient = Eigen::VectorXd::Zero(p);
  out.hessian = Eigen::MatrixXd::Zero(p, p);
  Eigen::VectorXd weights(model_->rows());
  double size_of_slopes = 0;
  std::int64_t first = 0;
  const bool usable = for_blocks(x, 2, [&](const double* const* loss, const double* const* fitted, int n) {
    const Block by_fitted(loss[1], n);
    const double* const* second = loss + 2 + p;
    const double* const* mixed = second + pairs(p);
    const Block twice(mixed[p], n);
    out.value += Block(loss[0], n).sum();
    weights.segment(first, n) = by_fitted;
    first += n;
    for (int i = 0, k = 0; i < p; ++i) {
      const Block slope(fitted[1 + i], n);
      out.gradient[i] += (by_fitted * slope + Block(loss[2 + i], n)).sum();
      size_of_slopes = std::max(size_of_slopes, (by_fitted * slope).abs().sum());
      for (int j = 0; j <= i; ++j, ++k) {
        const Block other(fitted[1 + j], n);
        Eigen::ArrayXd terms = Block(second[k], n) + Block(mixed[i], n) * other + Block(mixed[j], n) * slope + twice * slope * other;
        if (model_->exact()) terms += by_fitted * Block(fitted[1 + p + k], n);
        out.hessian(i, j) += terms.sum();
      }
    }
  });
  out.hessian = Eigen::MatrixXd(out.hessian.selfadjointView<Eigen::Lower>());
  out.usable = usable && std::isfinite(out.value) && out.gradient.allFinite() && out.hessian.allFinite();
  if (!out.usable) {
    ++work.refused;
    return out;
  }
  largest_ = std::max(largest_, std::fabs(out.value));
  if (model_->exact()) return out;
  // The rounding of the values, as their differences feel it.
  const double rounding = bounds().precision * std::max(largest_, weights.norm());
  out.gradient_noise.resize(p);
  // what is coarser than rounding hides slopes, but excuses none
  const double finest = rounding * std::numeric_limits<double>::epsilon() / bounds().precision;
  for (int i = 0; i < p; ++i) out.gradient_noise[i] = model_->slope_noise(x, i, finest, differences());
  out.hessian_noise = Eigen::MatrixXd::Zero(p, p);
  if (!refined) return out;
  Eigen::MatrixXd bend;
  if (!model_->second_along(x, weights, rounding, differences(), work, bend, out.hessian_noise)) {
    out.usable = false;
    return out;
  }
  out.hessian += bend;
  return out;
}

double RowModelLoss::value_unit(const Expansion& at) {
  return loss_.scale_unknown ? std::fabs(at.value) / static_cast<double>(model_->rows()) : 1;
}

Eigen::MatrixXd RowModelLoss::slopes_factor(const Eigen::VectorXd& x) {
  const int p = size();
  TriangularFactor factor(p, static_cast<int>(std::min<std::int64_t>(kBlockRows, model_->rows())));
  std::vector<Eigen::ArrayXd> slopes(p);
  std::vector<const double*> places(p);
  const bool usable = for_blocks(x, 1, [&](const double* const* loss, const double* const* fitted, int n) {
    for (int j = 0; j < p; ++j) {
      slopes[j] = Block(loss[1], n) * Block(fitted[1 + j], n) + Block(loss[2 + j], n);
      places[j] = slopes[j].data();
    }
    factor.fold(places.data(), n);
  });
  return usable ? factor.triangle() : Eigen::MatrixXd();
}

}  // namespace tundrel
