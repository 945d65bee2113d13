#include "row_sum_problem.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <utility>

#include "../expression/derivative.h"
#include "../expression/sum_terms.h"
#include "../expression/term.h"
#include "../expression/row_sums.h"
#include "lower_triangle.h"
#include "segments.h"
#include "triangular_factor.h"

namespace tundrel {
namespace {

using Block = Eigen::Map<const Eigen::ArrayXd>;

// A kink is at zero if it is below these shares of the mean kink and of what the kinks are differences of.
constexpr double kSettledKink = 1e-9, kRoundedKink = 1e-12;

// Noise in shares of the fitted value is not smaller than this.
constexpr double kRowLeastShare = 1e-10;

}  // namespace

RowSumProblem::RowSumProblem(Graph graph, const RowLoss& loss, Columns columns, Bounds bounds, int threads)
    : graph_(std::move(graph)),
      loss_(loss),
      columns_(std::move(columns)),
      bounds_(std::move(bounds)) {
  work.threads = threads;
  if (loss_.smooth < 0) loss_.smooth = graph_.constant(0);
  const SplitSum split = split_constant_terms(graph_, loss_.smooth);
  loss_.smooth = split.varying;
  constant_program_ = Program(graph_, {split.constant});
  constant_ = column_sums(constant_program_, bounds_.typical)[0];
  rounded_ = loss_.smooth;
  if (loss_.kink >= 0) {
    const Term smooth{&graph_, loss_.smooth}, kink{&graph_, loss_.kink}, width{&graph_, graph_.parameter(size())};
    value_program_ = Program(graph_, {(smooth + abs(kink)).node});
    rounded_ = (smooth + sqrt(square(kink) + square(width))).node;
  } else {
    value_program_ = Program(graph_, {rounded_});
  }
}

bool RowSumProblem::read(const Columns& columns) {
  columns_ = columns;
  constant_ = column_sums(constant_program_, bounds_.typical)[0];
  return true;
}

Eigen::VectorXd RowSumProblem::with_width(const Eigen::VectorXd& x) const {
  Eigen::VectorXd out(x.size() + 1);
  out << x, width_;
  return out;
}

Program RowSumProblem::expansion_program(const std::vector<int>& nodes) {
  std::vector<int> outputs;
  for (int node : nodes) {
    outputs.push_back(node);
    for (int slope : gradient_nodes(graph_, node, size())) outputs.push_back(slope);
    for (int second : hessian_nodes(graph_, node, size())) outputs.push_back(second);
  }
  return Program(graph_, outputs);
}

Eigen::VectorXd RowSumProblem::column_sums(const Program& program, const Eigen::VectorXd& x) {
  const Segments segments(columns_.rows);
  const int n_outputs = program.n_outputs();
  Eigen::MatrixXd sums = Eigen::MatrixXd::Zero(n_outputs, segments.count);
  sweep_.run(work, program, with_width(x), columns_, segments, [&](const Program::Workspace& block, int s, std::int64_t, int n) {
    for (int k = 0; k < n_outputs; ++k) sums(k, s) += row_sum(block.output(k), n);
  });
  return sums.rowwise().sum();
}

double RowSumProblem::value(const Eigen::VectorXd& x) {
  ++work.evaluations;
  const double total = column_sums(value_program_, x)[0] + constant_;
  if (!std::isfinite(total)) ++work.refused;
  return total;
}

double RowSumProblem::value_unit(const Expansion& at) {
  if (!loss_.noise) return 0;
  if (!loss_.scale_unknown) return 1;
  const double least = loss_.kink < 0 ? kRowLeastShare * kRowLeastShare : 0;
  return std::max(std::fabs(at.value) / static_cast<double>(columns_.rows), least);
}

Slope RowSumProblem::slope(const Eigen::VectorXd& x) {
  ++work.evaluations;
  if (!slopes_) {
    std::vector<int> outputs{rounded_};
    for (int node : gradient_nodes(graph_, rounded_, size())) outputs.push_back(node);
    slope_program_ = Program(graph_, outputs);
    slopes_ = true;
  }
  const Eigen::VectorXd sums = column_sums(slope_program_, x);
  if (!sums.allFinite()) {
    ++work.refused;
    return {};
  }
  return {true, sums[0] + constant_, sums.tail(size())};
}

Expansion RowSumProblem::expand(const Eigen::VectorXd& x) {
  ++work.evaluations;
  if (!expands_) expansion_program_ = expansion_program({rounded_});
  expands_ = true;
  const int p = size();
  const Eigen::VectorXd sums = column_sums(expansion_program_, x);
  Expansion out;
  out.usable = sums.allFinite();
  if (!out.usable) {
    ++work.refused;
    return out;
  }
  out.value = sums[0] + constant_;
  out.gradient = sums.segment(1, p);
  out.hessian = from_lower(sums.data() + 1 + p, p);
  return out;
}

KinkSizes RowSumProblem::kink_sizes(const Eigen::VectorXd& x) {
  const Term kink{&graph_, loss_.kink}, reference{&graph_, loss_.reference};
  const Eigen::VectorXd means =
      column_sums(Program(graph_, {abs(kink).node, abs(reference).node}), x) / static_cast<double>(columns_.rows);
  return {means[0], kSettledKink * means[0] + kRoundedKink * means[1]};
}

KinkedExpansion RowSumProblem::expand_kinks(const Eigen::VectorXd& x, double width, int most) {
  ++work.evaluations;
  const int p = size(), second = 1 + p, length = 1 + p + pairs(p);
  if (!sets_kinks_apart_) kink_program_ = expansion_program({loss_.smooth, loss_.kink});
  sets_kinks_apart_ = true;
  const Segments segments(columns_.rows);
  Eigen::MatrixXd sums = Eigen::MatrixXd::Zero(length, segments.count);
  Eigen::MatrixXd efforts = Eigen::MatrixXd::Zero(p, segments.count);
  // In an order that does not depend on threads: each segment keeps its own.
  std::vector<std::map<std::vector<double>, double>> near(segments.count);
  sweep_.run(work, kink_program_, with_width(x), columns_, segments, [&](const Program::Workspace& block, int s, std::int64_t, int n) {
    const double* kink = block.output(length);
    for (int j = 0; j < p; ++j) {
      const Eigen::ArrayXd effort = Block(block.output(1 + j), n).abs() + Block(block.output(length + 1 + j), n).abs();
      efforts(j, s) += row_sum(effort.data(), n);
    }
    for (int k = 0; k < length; ++k) sums(k, s) += row_sum(block.output(k), n);
    for (int i = 0; i < n; ++i) {
      if (std::fabs(kink[i]) <= width) {
        std::vector<double> row(length);
        for (int k = 0; k < length; ++k) row[k] = block.output(length + k)[i];
        if (static_cast<int>(near[s].size()) <= most) near[s][row] += 1;
      } else {
        const double sign = kink[i] > 0 ? 1 : -1;
        for (int k = 0; k < length; ++k) sums(k, s) += sign * block.output(length + k)[i];
      }
    }
  });
  KinkedExpansion out;
  const Eigen::VectorXd total = sums.rowwise().sum();
  out.effort = efforts.rowwise().sum();
  for (int s = 1; s < segments.count; ++s)
    for (const auto& [row, count] : near[s]) near[0][row] += count;
  out.usable = total.allFinite() && out.effort.allFinite() && static_cast<int>(near[0].size()) <= most;
  if (!out.usable) return out;
  out.rows = static_cast<double>(columns_.rows);
  out.rest = {true, total[0] + constant_, total.segment(1, p), from_lower(total.data() + second, p), {}, {}};
  for (const auto& [row, count] : near[0])
    out.kinks.push_back({row[0], Eigen::Map<const Eigen::VectorXd>(row.data() + 1, p), from_lower(row.data() + second, p), count});
  return out;
}

// Rows of the program's outputs, `rows_at_once` groups of size() for each row of the measurements.
Eigen::MatrixXd RowSumProblem::factor_of_rows(const Program& program, const Eigen::VectorXd& x, int rows_at_once) {
  const int p = size();
  const Segments segments(columns_.rows);
  const int block_rows = static_cast<int>(std::min<std::int64_t>(kBlockRows, columns_.rows));
  std::vector<TriangularFactor> factors(segments.count, TriangularFactor(p, block_rows));
  sweep_.run(work, program, with_width(x), columns_, segments, [&](const Program::Workspace& block, int s, std::int64_t, int n) {
    for (int k = 0; k < rows_at_once; ++k) factors[s].fold(block.outputs() + k * p, n);
  });
  for (int s = 1; s < segments.count; ++s) factors[0].fold(factors[s]);
  return factors[0].triangle();
}

Eigen::MatrixXd RowSumProblem::expected_factor(const Eigen::VectorXd& x) {
  if (loss_.expected.empty()) return {};
  std::vector<int> outputs;
  for (const InformationTerm& term : loss_.expected)
    for (int slope : gradient_nodes(graph_, term.quantity, size()))
      outputs.push_back(graph_.apply(Op::multiply, term.weight, slope));
  return factor_of_rows(Program(graph_, outputs), x, static_cast<int>(loss_.expected.size()));
}

Eigen::MatrixXd RowSumProblem::slopes_factor(const Eigen::VectorXd& x) {
  return factor_of_rows(Program(graph_, gradient_nodes(graph_, rounded_, size())), x, 1);
}

}  // namespace tundrel
