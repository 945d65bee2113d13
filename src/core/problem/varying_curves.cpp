#include "varying_curves.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <utility>

#include "../decompositions.h"
#include "../expression/derivative.h"
#include "../expression/row_sums.h"
#include "../expression/substitute.h"
#include "../numbers.h"
#include "../threads.h"
#include "halted.h"
#include "lower_triangle.h"
#include "triangular_factor.h"

namespace tundrel {
namespace {

constexpr int kMostSteps = 200;
// After a Newton step that is so short the next one would be its square.
constexpr double kClose = 1e-9;
// One that leads to no lower value, and is shorter, is at the end of what rounding leaves to be seen.
constexpr double kVaryingRounding = 1e-5;
constexpr double kFirstDamping = 1e-3, kMostDamping = 1e10;
// Steps for second derivatives, in sizes of the parameters.
constexpr double kStep = 1e-4;
// Curves between two looks at whether the user has stopped.
constexpr int kAtOnce = 1024;

// Nodes and weights of Gauss-Hermite quadrature for the standard normal distribution: eigenvalues of the Jacobi matrix of its orthogonal
// polynomials (Golub and Welsch 1969, Mathematics of Computation 23, 221-230).
void hermite(int n, Eigen::VectorXd& at, Eigen::VectorXd& weight) {
  Eigen::MatrixXd jacobi = Eigen::MatrixXd::Zero(n, n);
  for (int i = 1; i < n; ++i) jacobi(i, i - 1) = jacobi(i - 1, i) = std::sqrt(static_cast<double>(i));
  const SymmetricSpectrum found = symmetric_spectrum(jacobi);
  at = found.values;
  weight = found.vectors.row(0).cwiseAbs2().transpose();
  // symmetric to the last bit
  at = ((at - at.reverse()) / 2).eval();
  weight = ((weight + weight.reverse()) / 2).eval();
}

}  // namespace

// What one thread works with.
struct VaryingCurves::Worker {
  Program::Workspace inner, moving, at_nodes;
  Eigen::VectorXd all;     // the free parameters, then a curve's variables
  Eigen::MatrixXd beside;  // columns of a curve, once for each node of a block, then those of its variables

  // Sums of a program's outputs over the rows of a curve.
  Eigen::VectorXd sums(const Program& program, Program::Workspace& space, const Columns& columns) {
    Eigen::VectorXd out = Eigen::VectorXd::Zero(program.n_outputs());
    program.prepare(all.data(), columns, space);
    for (std::int64_t from = 0; from < columns.rows; from += kBlockRows) {
      const int n = static_cast<int>(std::min<std::int64_t>(kBlockRows, columns.rows - from));
      program.run_block(space, columns, from, n);
      for (int k = 0; k < out.size(); ++k) out[k] += row_sum(space.output(k), n);
    }
    return out;
  }
};

VaryingCurves::VaryingCurves(Graph graph, int loss, int own, int nodes, Columns columns, CurveRows rows, Bounds bounds)
    : own_(own), rows_(std::move(rows)), bounds_(std::move(bounds)) {
  const int p = size(), all = p + own_;
  const std::vector<int> slopes = gradient_nodes(graph, loss, all);
  // second derivatives in a variable and anything else, then third ones of those in two variables
  std::vector<std::vector<int>> second;
  for (int i = 0; i < own_; ++i) second.push_back(gradient_nodes(graph, slopes[p + i], all));
  std::vector<int> inner{loss}, moving{loss};
  inner.insert(inner.end(), slopes.begin() + p, slopes.end());
  moving.insert(moving.end(), slopes.begin(), slopes.end());
  for (int i = 0; i < own_; ++i)
    for (int j = 0; j <= i; ++j) inner.push_back(second[i][p + j]);
  for (int i = 0; i < own_; ++i) moving.insert(moving.end(), second[i].begin(), second[i].end());
  for (int i = 0; i < own_; ++i)
    for (int j = 0; j <= i; ++j) {
      const std::vector<int> third = gradient_nodes(graph, second[i][p + j], all);
      moving.insert(moving.end(), third.begin(), third.end());
    }
  inner_ = Program(graph, inner);
  moving_ = Program(graph, moving);
  // at the nodes a curve's variables are columns, so that many nodes are one block of rows
  std::vector<int> first{loss};
  first.insert(first.end(), slopes.begin(), slopes.end());
  Graph beside;
  const int measured = static_cast<int>(columns.data.size());
  const std::vector<int> places = copied(graph, first, beside, [&](Graph& to, const Node& leaf) {
    return leaf.op == Op::parameter && leaf.index >= p ? to.column(measured + leaf.index - p) : -1;
  });
  values_at_nodes_ = Program(beside, {places[0]});
  slopes_at_nodes_ = Program(beside, places);

  Eigen::VectorXd at, weight;
  hermite(nodes, at, weight);
  int count = 1;
  for (int i = 0; i < own_; ++i) count *= nodes;
  nodes_.resize(own_, count);
  weights_.setZero(count);
  for (int k = 0; k < count; ++k)
    for (int i = 0, rest = k; i < own_; ++i, rest /= nodes) {
      nodes_(i, k) = at[rest % nodes];
      weights_[k] += std::log(weight[rest % nodes]) + 0.5 * at[rest % nodes] * at[rest % nodes];
    }
  read(columns);
}

bool VaryingCurves::read(const Columns& columns) {
  if (columns.rows != static_cast<std::int64_t>(rows_.order.size())) return false;
  sorted_.resize(columns.rows, static_cast<Eigen::Index>(columns.data.size()));
  for (Eigen::Index k = 0; k < sorted_.cols(); ++k)
    for (std::int64_t i = 0; i < columns.rows; ++i) sorted_(i, k) = columns.data[k][rows_.order[i]];
  return true;
}

namespace {

Columns rows_of(const Eigen::MatrixXd& sorted, const CurveRows& rows, int k) {
  Columns out;
  out.rows = rows.first[k + 1] - rows.first[k];
  for (Eigen::Index c = 0; c < sorted.cols(); ++c) out.data.push_back(sorted.col(c).data() + rows.first[k]);
  return out;
}

}  // namespace

VaryingCurves::Mode VaryingCurves::mode_of(Worker& worker, const Eigen::VectorXd& x, int k, const Eigen::VectorXd& from) const {
  const Columns columns = rows_of(sorted_, rows_, k);
  Mode mode;
  mode.at = from;
  mode.value = kInfinity;
  Eigen::VectorXd next = mode.at, slope(own_), move = Eigen::VectorXd::Zero(own_);
  double damping = 0, largest = 1;
  for (int step = 0; step < kMostSteps; ++step) {
    worker.all << x, next;
    const Eigen::VectorXd found = worker.sums(inner_, worker.inner, columns);
    const double value = found[0] + 0.5 * next.squaredNorm();
    if (found.allFinite() && value <= mode.value * (1 + (mode.value > 0 ? 1e-14 : -1e-14))) {
      damping = step > 0 && damping > kFirstDamping * largest ? damping / 10 : 0;
      mode.at = next;
      mode.value = value;
      slope = found.segment(1, own_) + next;
      mode.bend = from_lower(found.data() + 1 + own_, own_) + Eigen::MatrixXd::Identity(own_, own_);
      largest = mode.bend.diagonal().cwiseAbs().maxCoeff();
    } else if (step == 0) {
      return mode;
    } else if (damping == 0 && move.cwiseAbs().maxCoeff() <= kVaryingRounding) {
      break;
    } else {
      damping = std::max(10 * damping, kFirstDamping * largest);
    }
    if (damping > kMostDamping * largest) break;
    Cholesky factor(mode.bend + damping * Eigen::MatrixXd::Identity(own_, own_));
    while (!factor.definite()) {
      damping = std::max(10 * damping, kFirstDamping * largest);
      factor.compute(mode.bend + damping * Eigen::MatrixXd::Identity(own_, own_));
    }
    move = -factor.solve(slope);
    next = mode.at + move;
    if (damping == 0 && move.cwiseAbs().maxCoeff() <= kClose * (1 + mode.at.cwiseAbs().maxCoeff())) {
      mode.at = next;
      break;
    }
  }
  mode.usable = true;
  return mode;
}

// The loss of a curve, and its slopes where wanted, at places of its variables, a column each: as many of them at once as a block holds.
Eigen::MatrixXd VaryingCurves::at_nodes(Worker& worker, const Eigen::VectorXd& x, const Columns& columns, const Eigen::MatrixXd& places, bool slopes) const {
  const Program& program = slopes ? slopes_at_nodes_ : values_at_nodes_;
  const Eigen::Index count = places.cols(), measured = static_cast<Eigen::Index>(columns.data.size()), rows = columns.rows;
  const Eigen::Index together = std::min<Eigen::Index>(count, std::max<Eigen::Index>(1, kBlockRows / std::max<Eigen::Index>(1, rows)));
  worker.beside.resize(rows * together, measured + own_);
  for (Eigen::Index c = 0; c < measured; ++c)
    worker.beside.col(c) = Eigen::Map<const Eigen::VectorXd>(columns.data[c], rows).replicate(together, 1);
  Columns block;
  block.rows = worker.beside.rows();
  for (Eigen::Index c = 0; c < worker.beside.cols(); ++c) block.data.push_back(worker.beside.col(c).data());
  program.prepare(x.data(), block, worker.at_nodes);
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(program.n_outputs(), count);
  for (Eigen::Index from = 0; from < count; from += together) {
    const Eigen::Index here = std::min(together, count - from);
    for (int i = 0; i < own_; ++i)
      for (Eigen::Index j = 0; j < here; ++j) worker.beside.col(measured + i).segment(j * rows, rows).setConstant(places(i, from + j));
    for (Eigen::Index row = 0; row < here * rows; row += kBlockRows) {
      const int length = static_cast<int>(std::min<Eigen::Index>(kBlockRows, here * rows - row));
      program.run_block(worker.at_nodes, block, row, length);
      // a block holds whole curves, or a part of one
      const int each = static_cast<int>(std::min<Eigen::Index>(rows, length));
      for (int k = 0; k < out.rows(); ++k)
        for (int j = 0; j * each < length; ++j) out(k, from + j) += row_sum(worker.at_nodes.output(k) + j * each, each);
    }
  }
  return out;
}

double VaryingCurves::average(Worker& worker, const Eigen::VectorXd& x, int k, Eigen::Ref<Eigen::VectorXd> mode_at, Eigen::VectorXd* slope) const {
  const int p = size(), all = p + own_, q = own_;
  const Columns columns = rows_of(sorted_, rows_, k);
  Mode mode = mode_of(worker, x, k, mode_at);
  if (!mode.usable && !mode_at.isZero()) mode = mode_of(worker, x, k, Eigen::VectorXd::Zero(own_));
  if (!mode.usable) return kNaN;
  mode_at = mode.at;
  worker.all << x, mode.at;
  const Eigen::VectorXd there = slope ? worker.sums(moving_, worker.moving, columns) : worker.sums(inner_, worker.inner, columns);
  if (!there.allFinite()) return kNaN;
  const auto second = [&](int i, int j) { return there[1 + all + i * all + j]; };                              // variable i, anything j
  const auto third = [&](int pair, int j) { return there[1 + all + q * all + pair * all + j]; };
  Eigen::MatrixXd bend(q, q);
  if (slope) {
    for (int i = 0; i < q; ++i)
      for (int j = 0; j < q; ++j) bend(i, j) = second(i, p + j) + (i == j ? 1 : 0);
  } else {
    bend = from_lower(there.data() + 1 + q, q) + Eigen::MatrixXd::Identity(q, q);
  }
  const Cholesky factor(bend);
  if (!factor.definite()) return kNaN;
  const Eigen::MatrixXd upper = factor.factor().transpose(), unit = upper_solution(upper, Eigen::MatrixXd::Identity(q, q));  // unit unit' = bend^-1

  const int n = static_cast<int>(weights_.size());
  const Eigen::MatrixXd at = (unit * nodes_).colwise() + mode.at;
  Eigen::MatrixXd found = n == 1 ? Eigen::MatrixXd(there.head(slope ? 1 + all : 1)) : at_nodes(worker, x, columns, at, slope != nullptr);
  Eigen::VectorXd logs(n);
  for (int j = 0; j < n; ++j) {
    // where a node is outside of what the model is defined for there is no density
    const bool usable = found.col(j).allFinite();
    logs[j] = usable ? weights_[j] - found(0, j) - 0.5 * at.col(j).squaredNorm() : -kInfinity;
    if (!usable) found.col(j).setZero();
  }
  const double top = logs.maxCoeff();
  if (!std::isfinite(top)) return kNaN;
  Eigen::VectorXd shares = (logs.array() - top).exp();
  const double total = shares.sum();
  const double value = factor.half_log_determinant() - top - std::log(total);
  if (!slope) return value;
  shares /= total;
  const Eigen::VectorXd slopes = found.bottomRows(all) * shares;
  const Eigen::MatrixXd tails = found.bottomRows(q) + at;
  const Eigen::VectorXd along = tails * shares;
  const Eigen::MatrixXd turned = nodes_ * shares.asDiagonal() * tails.transpose() * unit;
  // how the mode moves with each parameter, and with it the unit in which nodes stand about it
  Eigen::MatrixXd cross(q, p);
  for (int i = 0; i < q; ++i)
    for (int j = 0; j < p; ++j) cross(i, j) = second(i, j);
  const Eigen::MatrixXd moves = -factor.solve(cross);
  slope->resize(p);
  for (int j = 0; j < p; ++j) {
    Eigen::MatrixXd change(q, q);
    for (int a = 0, pair = 0; a < q; ++a)
      for (int b = 0; b <= a; ++b, ++pair) {
        double sum = third(pair, j);
        for (int c = 0; c < q; ++c) sum += third(pair, p + c) * moves(c, j);
        change(a, b) = change(b, a) = sum;
      }
    const Eigen::MatrixXd half = lower_solution(upper, change);
    const Eigen::MatrixXd inside = lower_solution(upper, half.transpose()).transpose();
    Eigen::MatrixXd step = inside.triangularView<Eigen::StrictlyLower>();
    step.diagonal() = 0.5 * inside.diagonal();
    // lower changes by lower * step, and the unit, its inverse transposed, by -unit * step'
    (*slope)[j] = step.trace() + slopes[j] + along.dot(moves.col(j)) - step.cwiseProduct(turned).sum();
  }
  return value;
}

bool VaryingCurves::all_curves(const Eigen::VectorXd& x, Eigen::VectorXd& values, Eigen::MatrixXd* slopes, Eigen::MatrixXd* modes) {
  Eigen::MatrixXd own_modes = Eigen::MatrixXd::Zero(own_, rows_.count());
  if (!modes) modes = &own_modes;
  const int curves = rows_.count(), workers = std::max(1, std::min(work.threads, curves));
  std::vector<Worker> own(static_cast<std::size_t>(workers));
  for (Worker& one : own) one.all.resize(size() + own_);
  values.resize(curves);
  if (slopes) slopes->resize(size(), curves);
  for (int done = 0; done < curves; done += kAtOnce * workers) {
    if (done > 0 && work.is_halted()) throw Halted();
    share_out(std::min(kAtOnce * workers, curves - done), workers, [&](int thread, int job) {
      const int k = done + job;
      Eigen::VectorXd slope;
      values[k] = average(own[static_cast<std::size_t>(thread)], x, k, modes->col(k), slopes ? &slope : nullptr);
      if (slopes) slopes->col(k) = slope.size() > 0 ? slope : Eigen::VectorXd::Constant(size(), kNaN);
    });
  }
  ++work.evaluations;
  const bool usable = values.allFinite() && (!slopes || slopes->allFinite());
  work.refused += !usable;
  return usable;
}

void VaryingCurves::restrict_to(Graph graph, const CurveSlopes& slopes) {
  std::vector<int> outputs;
  std::vector<int> nodes = slopes.root;
  nodes.push_back(slopes.log_sd);
  for (int node : nodes) {
    outputs.push_back(node);
    for (int one : gradient_nodes(graph, node, size())) outputs.push_back(one);
  }
  restricted_ = Program(graph, outputs);
  common_.resize(slopes.common.rows(), slopes.common.cols());
  own_slopes_.resize(slopes.own.rows(), slopes.own.cols());
  for (Eigen::Index i = 0; i < common_.rows(); ++i) {
    common_.row(i) = slopes.common.row(rows_.order[i]);
    own_slopes_.row(i) = slopes.own.row(rows_.order[i]);
  }
}

double VaryingCurves::restriction(const Eigen::VectorXd& x, Eigen::VectorXd* slope) const {
  const int p = size(), p0 = static_cast<int>(common_.cols());
  if (slope) slope->setZero(p);
  if (p0 == 0) return 0;
  Eigen::MatrixXd information = Eigen::MatrixXd::Zero(p0, p0);
  std::vector<Eigen::MatrixXd> changes(slope ? p : 0, Eigen::MatrixXd::Zero(p0, p0));
  Columns columns;
  columns.rows = sorted_.rows();
  for (Eigen::Index k = 0; k < sorted_.cols(); ++k) columns.data.push_back(sorted_.col(k).data());
  Program::Workspace space;
  restricted_.prepare(x.data(), columns, space);
  const auto output = [&](int node, int derivative) { return space.output(node * (p + 1) + derivative); };
  for (int k = 0; k < rows_.count(); ++k) {
    const std::int64_t from = rows_.first[k], n = rows_.first[k + 1] - from;
    Eigen::MatrixXd log_sd(n, p + 1);
    std::vector<Eigen::MatrixXd> root(static_cast<std::size_t>(p) + 1, Eigen::MatrixXd::Zero(own_, own_));
    for (std::int64_t block = 0; block < n; block += kBlockRows) {
      const int rows = static_cast<int>(std::min<std::int64_t>(kBlockRows, n - block));
      restricted_.run_block(space, columns, from + block, rows);
      for (int d = 0; d <= p; ++d) {
        for (int i = 0; i < rows; ++i) log_sd(block + i, d) = output(pairs(), d)[i];
        for (int a = 0, pair = 0; a < own_; ++a)
          for (int b = 0; b <= a; ++b, ++pair) root[d](a, b) = output(pair, d)[0];
      }
    }
    const Eigen::MatrixXd z = own_slopes_.middleRows(from, n), j = common_.middleRows(from, n);
    const Eigen::VectorXd variance = (2 * log_sd.col(0).array()).exp();
    const Eigen::MatrixXd zl = z * root[0];
    Eigen::MatrixXd covariance = zl * zl.transpose();
    covariance.diagonal() += variance;
    const Cholesky factor(covariance);
    if (!factor.definite()) return kNaN;
    const Eigen::MatrixXd solved = factor.solve(j);
    information += j.transpose() * solved;
    if (!slope) continue;
    const Eigen::MatrixXd across = z.transpose() * solved;
    for (int d = 0; d < p; ++d) {
      const Eigen::MatrixXd half = root[d + 1] * root[0].transpose();
      changes[d] -= across.transpose() * (half + half.transpose()) * across + solved.transpose() * (2 * variance.array() * log_sd.col(d + 1).array()).matrix().asDiagonal() * solved;
    }
  }
  const Cholesky factor(information);
  if (!factor.definite()) return kNaN;
  if (slope)
    for (int d = 0; d < p; ++d) (*slope)[d] = 0.5 * factor.solve(changes[d]).trace();
  return factor.half_log_determinant();
}

double VaryingCurves::value(const Eigen::VectorXd& x) {
  Eigen::VectorXd values;
  return all_curves(x, values, nullptr) ? values.sum() + restriction(x, nullptr) : kNaN;
}

Slope VaryingCurves::slope(const Eigen::VectorXd& x) {
  Eigen::MatrixXd modes = Eigen::MatrixXd::Zero(own_, rows_.count());
  return slope_from(x, modes);
}

Slope VaryingCurves::slope_from(const Eigen::VectorXd& x, Eigen::MatrixXd& modes) {
  Eigen::VectorXd values;
  Eigen::MatrixXd slopes;
  if (!all_curves(x, values, &slopes, &modes)) return {};
  Eigen::VectorXd restricted;
  const double added = restriction(x, &restricted);
  if (!std::isfinite(added) || !restricted.allFinite()) return {};
  return {true, values.sum() + added, slopes.rowwise().sum() + restricted};
}

Expansion VaryingCurves::expand(const Eigen::VectorXd& x) {
  Eigen::MatrixXd modes = Eigen::MatrixXd::Zero(own_, rows_.count());
  const Slope here = slope_from(x, modes);
  Expansion out;
  if (!here.usable) return out;
  const int p = size();
  out.usable = true;
  out.value = here.value;
  out.gradient = here.gradient;
  out.hessian.resize(p, p);
  for (int j = 0; j < p; ++j) {
    const double step = kStep * std::max(std::fabs(x[j]), bounds_.typical[j]);
    Eigen::VectorXd change = Eigen::VectorXd::Zero(p);
    // of order four inside the limits, on one side at a limit
    const bool down = x[j] - 2 * step > bounds_.lower[j], up = x[j] + 2 * step < bounds_.upper[j];
    const std::vector<std::pair<double, double>> both{{-2, 1.0 / 12}, {-1, -2.0 / 3}, {1, 2.0 / 3}, {2, -1.0 / 12}};
    const std::vector<std::pair<double, double>> beyond{{0, -25.0 / 12}, {1, 4}, {2, -3}, {3, 4.0 / 3}, {4, -1.0 / 4}};
    const double side = up ? 1 : -1;
    for (const auto& [times, weight] : down && up ? both : beyond) {
      Eigen::VectorXd y = x;
      const double by = down && up ? times : side * times;
      y[j] += by * step;
      Eigen::MatrixXd beside = modes;
      const Slope there = by == 0 ? here : slope_from(y, beside);
      if (!there.usable) {
        out.usable = false;
        return out;
      }
      change += (down && up ? weight : side * weight) / step * there.gradient;
    }
    out.hessian.col(j) = change;
  }
  out.hessian = ((out.hessian + out.hessian.transpose()) / 2).eval();
  return out;
}

Eigen::MatrixXd VaryingCurves::slopes_factor(const Eigen::VectorXd& x) {
  Eigen::VectorXd values;
  Eigen::MatrixXd slopes;
  if (!all_curves(x, values, &slopes)) return {};
  const Eigen::MatrixXd rows = slopes.transpose();
  TriangularFactor factor(size(), static_cast<int>(rows.rows()));
  std::vector<const double*> columns;
  for (int k = 0; k < size(); ++k) columns.push_back(rows.col(k).data());
  factor.fold(columns.data(), static_cast<int>(rows.rows()));
  return factor.triangle();
}

CurveModes VaryingCurves::modes(const Eigen::VectorXd& x) {
  const int curves = rows_.count();
  CurveModes out;
  out.at = Eigen::MatrixXd::Constant(own_, curves, kNaN);
  out.spread = Eigen::MatrixXd::Constant(pairs(), curves, kNaN);
  out.value = Eigen::VectorXd::Constant(curves, kNaN);
  Worker worker;
  worker.all.resize(size() + own_);
  for (int k = 0; k < curves; ++k) {
    const Mode mode = mode_of(worker, x, k, Eigen::VectorXd::Zero(own_));
    if (!mode.usable) continue;
    out.at.col(k) = mode.at;
    const Eigen::MatrixXd spread = Cholesky(mode.bend).solve(Eigen::MatrixXd::Identity(own_, own_));
    for (int i = 0, pair = 0; i < own_; ++i)
      for (int j = 0; j <= i; ++j, ++pair) out.spread(pair, k) = spread(i, j);
    out.value[k] = average(worker, x, k, out.at.col(k), nullptr);
  }
  return out;
}

}  // namespace tundrel
