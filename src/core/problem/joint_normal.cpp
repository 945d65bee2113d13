#include "joint_normal.h"

#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>

#include "../decompositions.h"
#include "../expression/derivative.h"
#include "triangular_factor.h"

namespace tundrel {
namespace {

const double kLogTwoPi = std::log(2 * M_PI);
// No square of the noise is smaller in the unit of readings.
constexpr double kJointLeastShare = 1e-300;
// What changes the value by less over its whole size is rounding.
constexpr double kJointRounding = 64 * std::numeric_limits<double>::epsilon();

// What a common error is known to be along a block: its gain and spread, the same for all columns that are followed.
class Follower {
 public:
  Follower(const Jets& jets, const double* range, const double* nugget)
      : jets_(jets), nugget_(jets.length(), 0), common_(nugget_), rate_(nugget_), spread_(nugget_), kept_(nugget_), gain_(nugget_), inverse_(nugget_), error_(nugget_), a_(nugget_), b_(nugget_) {
    if (nugget) jets.add(nugget, 1, nugget_.data());
    common_[0] = 1;
    jets.add(nugget_.data(), -1, common_.data());
    if (range) jets.reciprocal(range, rate_.data());
  }

  // Goes on to a reading so far from the one before it.
  void step(double distance) {
    begins_ = distance == Sequence::kBegins;
    if (begins_) {
      error_ = common_;
    } else {
      // kept = exp(-distance / range); error = kept^2 (error - common) + common
      a_.assign(a_.size(), 0);
      if (distance > 0) jets_.add(rate_.data(), -distance, a_.data());
      jets_.exponential(a_.data(), kept_.data());
      jets_.multiply(kept_.data(), kept_.data(), a_.data());
      b_ = error_;
      jets_.add(common_.data(), -1, b_.data());
      jets_.multiply(a_.data(), b_.data(), error_.data());
      jets_.add(common_.data(), 1, error_.data());
    }
    spread_ = error_;
    jets_.add(nugget_.data(), 1, spread_.data());
    jets_.reciprocal(spread_.data(), inverse_.data());
    jets_.multiply(error_.data(), inverse_.data(), gain_.data());
    // what remains after the reading: error * nugget / spread
    jets_.multiply(gain_.data(), nugget_.data(), a_.data());
    error_.swap(a_);
  }

  bool begins() const { return begins_; }
  const double* kept() const { return kept_.data(); }
  const double* gain() const { return gain_.data(); }
  const double* spread() const { return spread_.data(); }
  const double* inverse() const { return inverse_.data(); }

 private:
  const Jets& jets_;
  std::vector<double> nugget_, common_, rate_, spread_, kept_, gain_, inverse_, error_, a_, b_;
  bool begins_ = true;
};

// One column of residuals, followed along the blocks.
class Followed {
 public:
  explicit Followed(const Jets& jets) : jets_(jets), innovation_(jets.length(), 0), state_(innovation_), a_(innovation_) {}

  void take(const double* residual, const Follower& along) {
    innovation_.assign(residual, residual + jets_.length());
    if (along.begins()) {
      state_.assign(state_.size(), 0);
    } else {
      jets_.multiply(along.kept(), state_.data(), a_.data());
      state_.swap(a_);
      jets_.add(state_.data(), -1, innovation_.data());
    }
    jets_.multiply(along.gain(), innovation_.data(), a_.data());
    jets_.add(a_.data(), 1, state_.data());
  }

  const std::vector<double>& innovation() const { return innovation_; }

 private:
  const Jets& jets_;
  std::vector<double> innovation_, state_, a_;
};

bool is_finite(const std::vector<double>& jet) { return Eigen::Map<const Eigen::VectorXd>(jet.data(), static_cast<Eigen::Index>(jet.size())).allFinite(); }

}  // namespace

JointNormal::JointNormal(Graph graph, JointNormalNodes nodes, Columns columns, Sequence sequence, Eigen::MatrixXd slopes, bool scaled, Bounds bounds)
    : graph_(std::move(graph)), sequence_(std::move(sequence)), scaled_(scaled), bounds_(std::move(bounds)) {
  const auto output = [&](int node) {
    if (node < 0) return -1;
    outputs_.push_back(node);
    return static_cast<int>(outputs_.size()) - 1;
  };
  residual_ = output(nodes.residual);
  log_sd_ = output(nodes.log_sd);
  range_ = output(nodes.range);
  nugget_ = output(nodes.nugget);
  restricted_sd_ = output(nodes.restricted_sd);
  slopes_.resize(slopes.rows(), slopes.cols());
  for (Eigen::Index i = 0; i < slopes.rows(); ++i) slopes_.row(i) = slopes.row(sequence_.order[i]);
  read(columns);
}

bool JointNormal::read(const Columns& columns) {
  // other rows would follow each other otherwise
  if (columns.rows != static_cast<std::int64_t>(sequence_.order.size())) return false;
  sorted_.resize(columns.rows, static_cast<Eigen::Index>(columns.data.size()));
  for (Eigen::Index k = 0; k < sorted_.cols(); ++k)
    for (std::int64_t i = 0; i < columns.rows; ++i) sorted_(i, k) = columns.data[k][sequence_.order[i]];
  return true;
}

const Program& JointNormal::program(int order) {
  if (!made_[order]) {
    std::vector<int> all;
    for (int node : outputs_) {
      all.push_back(node);
      if (order > 0)
        for (int one : gradient_nodes(graph_, node, size())) all.push_back(one);
      if (order > 1)
        for (int one : hessian_nodes(graph_, node, size())) all.push_back(one);
    }
    programs_[order] = Program(graph_, all);
    made_[order] = true;
  }
  return programs_[order];
}

template <class Visit>
JointNormal::Sums JointNormal::along_rows(const Eigen::VectorXd& x, const Jets& jets, const Visit& visit) {
  const Program& rows = program(jets.second() ? 2 : jets.variables() > 0 ? 1 : 0);
  Columns columns;
  columns.rows = sorted_.rows();
  for (Eigen::Index k = 0; k < sorted_.cols(); ++k) columns.data.push_back(sorted_.col(k).data());
  Program::Workspace space;
  rows.prepare(x.data(), columns, space);
  const int length = jets.length(), p0 = static_cast<int>(slopes_.cols());
  // an output with its derivatives in one row of a block
  const auto read_out = [&](int output, int i, Jet& out) {
    for (int k = 0; k < length; ++k) out[k] = space.output(output * length + k)[i];
  };
  Sums sums;
  Jet residual(length), log_sd(length), weight(length), inverse(length), product(length), slope(length), range(length), nugget(length);
  sums.squares = sums.log_spread = sums.log_sd = Jet(length, 0);
  sums.information.assign(static_cast<std::size_t>(p0 * (p0 + 1) / 2), Jet(length, 0));
  std::vector<Jet> weighted(p0, Jet(length));
  std::vector<Followed> followed(p0, Followed(jets));
  Followed reading(jets);
  std::unique_ptr<Follower> along;
  for (std::int64_t first = 0; first < columns.rows; first += kBlockRows) {
    if (work.is_halted()) {
      sums.usable = false;
      return sums;
    }
    const int n = static_cast<int>(std::min<std::int64_t>(kBlockRows, columns.rows - first));
    rows.run_block(space, columns, first, n);
    if (first == 0) {
      // neither depends on the row
      if (range_ >= 0) read_out(range_, 0, range);
      if (nugget_ >= 0) read_out(nugget_, 0, nugget);
      const bool sound = (range_ < 0 || range[0] > 0) && (nugget_ < 0 || (nugget[0] >= 0 && nugget[0] <= 1));
      if (!sound) {
        sums.usable = false;
        return sums;
      }
      along = std::make_unique<Follower>(jets, range_ >= 0 ? range.data() : nullptr, nugget_ >= 0 ? nugget.data() : nullptr);
    }
    for (int i = 0; i < n; ++i) {
      const std::int64_t row = first + i;
      along->step(sequence_.distance[row]);
      read_out(residual_, i, residual);
      reading.take(residual.data(), *along);
      jets.multiply(reading.innovation().data(), reading.innovation().data(), product.data());
      jets.multiply(product.data(), along->inverse(), inverse.data());
      jets.add(inverse.data(), 1, sums.squares.data());
      jets.logarithm(along->spread(), product.data());
      jets.add(product.data(), 1, sums.log_spread.data());
      if (log_sd_ >= 0) {
        read_out(log_sd_, i, log_sd);
        jets.add(log_sd.data(), 1, sums.log_sd.data());
      }
      visit(sequence_.order[row], reading.innovation(), along->inverse());
      if (p0 == 0) continue;
      weight.assign(length, 0);
      weight[0] = 1;
      if (restricted_sd_ >= 0) {
        read_out(restricted_sd_, i, log_sd);
        for (double& one : log_sd) one = -one;
        jets.exponential(log_sd.data(), weight.data());
      }
      for (int c = 0; c < p0; ++c) {
        for (int k = 0; k < length; ++k) slope[k] = slopes_(row, c) * weight[k];
        followed[c].take(slope.data(), *along);
        jets.multiply(followed[c].innovation().data(), along->inverse(), weighted[c].data());
        for (int d = 0; d <= c; ++d) {
          jets.multiply(weighted[c].data(), followed[d].innovation().data(), product.data());
          jets.add(product.data(), 1, sums.information[static_cast<std::size_t>(c * (c + 1) / 2 + d)].data());
        }
      }
    }
  }
  return sums;
}

JointNormal::Jet JointNormal::log_determinant(const std::vector<Jet>& information, const Jets& jets) const {
  const int p0 = static_cast<int>(slopes_.cols()), p = jets.variables();
  const auto matrix = [&](int k) {
    Eigen::MatrixXd out(p0, p0);
    for (int c = 0, at = 0; c < p0; ++c)
      for (int d = 0; d <= c; ++d, ++at) out(c, d) = out(d, c) = information[at][k];
    return out;
  };
  Jet out(jets.length(), std::numeric_limits<double>::quiet_NaN());
  const Cholesky factor(matrix(0));
  if (!factor.definite()) return out;
  out[0] = 2 * factor.half_log_determinant();
  std::vector<Eigen::MatrixXd> shares;
  for (int i = 0; i < p; ++i) {
    shares.push_back(factor.solve(matrix(1 + i)));
    out[1 + i] = shares[i].trace();
  }
  if (jets.second())
    for (int i = 0; i < p; ++i)
      for (int j = 0; j <= i; ++j) out[jets.place(i, j)] = factor.solve(matrix(jets.place(i, j))).trace() - (shares[i] * shares[j]).trace();
  return out;
}

JointNormal::Jet JointNormal::whole(const Eigen::VectorXd& x, int order) {
  ++work.evaluations;
  const Jets jets(size(), order);
  Sums sums = along_rows(x, jets, [](std::int64_t, const Jet&, const double*) {});
  Jet out(jets.length(), 0);
  if (sums.usable) {
    if (slopes_.cols() > 0) jets.add(log_determinant(sums.information, jets).data(), 1, sums.log_spread.data());
    const double n = static_cast<double>(sorted_.rows() - slopes_.cols());
    if (scaled_) {
      for (double& one : sums.log_spread) one /= n;
      Jet growth(jets.length());
      jets.exponential(sums.log_spread.data(), growth.data());
      jets.multiply(growth.data(), sums.squares.data(), out.data());
    } else {
      jets.add(sums.squares.data(), 0.5, out.data());
      jets.add(sums.log_spread.data(), 0.5, out.data());
      jets.add(sums.log_sd.data(), 1, out.data());
      out[0] += n / 2 * kLogTwoPi;
    }
  }
  if (sums.usable && is_finite(out)) return out;
  ++work.refused;
  return {};
}

double JointNormal::value(const Eigen::VectorXd& x) {
  const Jet found = whole(x, 0);
  return found.empty() ? std::numeric_limits<double>::quiet_NaN() : found[0];
}

Slope JointNormal::slope(const Eigen::VectorXd& x) {
  const Jet found = whole(x, 1);
  if (found.empty()) return {};
  return {true, found[0], Eigen::Map<const Eigen::VectorXd>(found.data() + 1, size())};
}

Expansion JointNormal::expand(const Eigen::VectorXd& x) {
  const Jet found = whole(x, 2);
  Expansion out;
  if (found.empty()) return out;
  const int p = size();
  const Jets jets(p, 2);
  out.usable = true;
  out.value = found[0];
  out.gradient = Eigen::Map<const Eigen::VectorXd>(found.data() + 1, p);
  out.hessian.resize(p, p);
  for (int i = 0; i < p; ++i)
    for (int j = 0; j <= i; ++j) out.hessian(i, j) = out.hessian(j, i) = found[jets.place(i, j)];
  // where readings show no dependence a range is felt by rounding alone, which is no curvature
  const double seen = kJointRounding * (std::fabs(out.value) + (scaled_ ? 0 : static_cast<double>(sorted_.rows())));
  const Eigen::VectorXd sizes = bounds_.typical.cwiseAbs().cwiseMax(x.cwiseAbs());
  for (int i = 0; i < p; ++i) {
    const double felt = std::fabs(out.gradient[i]) * sizes[i] + out.hessian.row(i).cwiseAbs().dot(sizes) * sizes[i];
    if (felt > seen) continue;
    out.gradient[i] = 0;
    out.hessian.row(i).setZero();
    out.hessian.col(i).setZero();
  }
  return out;
}

double JointNormal::value_unit(const Expansion& at) {
  return scaled_ ? std::max(std::fabs(at.value) / static_cast<double>(sorted_.rows()), kJointLeastShare) : 1;
}

Eigen::MatrixXd JointNormal::innovations(const Eigen::VectorXd& x) {
  const int p = size();
  Eigen::MatrixXd out(sorted_.rows(), p + 1);
  const Jets jets(p, 1);
  Jet root(jets.length()), product(jets.length());
  along_rows(x, jets, [&](std::int64_t row, const Jet& innovation, const double* inverse) {
    const double r = std::sqrt(inverse[0]);
    jets.through(inverse, r, 0.5 / r, 0, root.data());
    jets.multiply(innovation.data(), root.data(), product.data());
    out.row(row) = Eigen::Map<const Eigen::RowVectorXd>(product.data(), p + 1);
  });
  return out;
}

Eigen::MatrixXd JointNormal::slopes_factor(const Eigen::VectorXd& x) {
  const Eigen::MatrixXd slopes = innovations(x).rightCols(size());
  TriangularFactor factor(size(), static_cast<int>(slopes.rows()));
  std::vector<const double*> columns;
  for (int k = 0; k < size(); ++k) columns.push_back(slopes.col(k).data());
  factor.fold(columns.data(), static_cast<int>(slopes.rows()));
  return factor.triangle();
}

}  // namespace tundrel
