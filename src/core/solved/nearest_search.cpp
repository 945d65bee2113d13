#include "nearest_search.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

#include "../expression/derivative.h"
#include "../expression/substitute.h"
#include "../numbers.h"
#include "nearest_function.h"

namespace tundrel {
namespace {

constexpr double kNone = std::numeric_limits<double>::infinity();
// Places that are looked at first, in standard deviations of each predictor: it goes downhill from each that is nearer than those
// beside it, and from where the curve passes the reading between two of them.
constexpr double kFirstPlaces[] = {-4, -3, -2.5, -2, -1.5, -1, -0.5, 0, 0.5, 1, 1.5, 2, 2.5, 3, 4};
constexpr int kCount = sizeof(kFirstPlaces) / sizeof(double);
constexpr int kNearestMostSteps = 1000;
// After a Newton step that is so short the next one would be its square.
constexpr double kNearestClose = 1e-9;
// A Newton step that is shorter and leads to no lower square is at the end of what rounding leaves to be seen.
constexpr double kRounding = 1e-5;
constexpr double kFirstDamping = 1e-3, kMostDamping = 1e10;

// One reading's search, in units of standard deviations, with a number of predictors that is known beforehand where there are few.
template <int Q>
class Row {
 public:
  static constexpr int kAll = Q == Eigen::Dynamic ? Eigen::Dynamic : Q + 1;
  using Place = Eigen::Matrix<double, Q, 1>;
  using Square = Eigen::Matrix<double, Q, Q>;
  using All = Eigen::Matrix<double, kAll, 1>;
  using AllSquare = Eigen::Matrix<double, kAll, kAll>;

  Row(int predictors, const AllSquare& correlation)
      : q_(predictors), correlation_(correlation), seen_(Scan::Constant(kCount, predictors, kNone)), errors_(seen_), at_(Place::Zero(predictors)), next_(at_) {
    const Eigen::LLT<AllSquare> factor(correlation);
    done_ = factor.info() != Eigen::Success;
    if (!done_) precision_ = factor.solve(AllSquare::Identity(q_ + 1, q_ + 1));
  }

  bool done() const { return done_; }
  bool found() const { return best_.square < kNone; }
  const Place& next() const { return next_; }
  void look_at(double distance, int along) {
    next_.setZero();
    next_[along] = distance;
  }

  void note(double error, int place, int along) {
    seen_(place, along) = square(error);
    errors_(place, along) = error;
  }

  // After the scan: the places to go downhill from, and the first of them.
  void begin() {
    for (int k = 0; k < q_ && !done_; ++k)
      for (int i = 0; i < kCount; ++i) {
        const double here = seen_(i, k), before = i > 0 ? seen_(i - 1, k) : kNone, after = i + 1 < kCount ? seen_(i + 1, k) : kNone;
        const bool met_before = i > 0 && meets(i - 1, k), met_after = i + 1 < kCount && meets(i, k);
        if (met_after) start(kFirstPlaces[i] + errors_(i, k) / (errors_(i, k) - errors_(i + 1, k)) * (kFirstPlaces[i + 1] - kFirstPlaces[i]), k);
        if (here < kNone && here <= before && here <= after && !met_before && !met_after) start(kFirstPlaces[i], k);
      }
    go_on();
  }

  // With the reading's error at the place that was asked for, its slopes and second derivatives along the predictors' errors.
  void step(double error, const Place& slopes, const Square& bends) {
    const double found = square(error);
    const bool usable = slopes.allFinite() && bends.allFinite();
    if (!measured_ && !usable) return go_on();
    if (!measured_ || (usable && found <= least_ * (1 + 1e-14))) {
      damping_ = measured_ && damping_ > kFirstDamping * largest_ ? damping_ / 10 : 0;
      measured_ = true;
      at_ = next_;
      least_ = found;
      error_ = error;
      slopes_ = slopes;
      // the tangent consists of the unit vectors with the slopes below them
      const Square corner = precision_.topLeftCorner(q_, q_);
      const Place edge = precision_.col(q_).head(q_);
      const double last = precision_(q_, q_), pull = edge.dot(at_) + last * error;
      downhill_ = -(corner * at_ + edge * error + slopes * pull);
      straight_ = corner + edge * slopes.transpose() + slopes * edge.transpose() + last * slopes * slopes.transpose();
      largest_ = straight_.diagonal().maxCoeff();
      bent_ = straight_ + pull * bends;
    } else if (damping_ == 0 && moved_ <= kRounding * (1 + at_.cwiseAbs().maxCoeff())) {
      return keep();
    } else {
      damping_ = std::max(10 * damping_, kFirstDamping * largest_);
    }
    if (damping_ > kMostDamping * largest_) {
      next_ = at_;
      return keep();
    }
    const Square damped = damping_ * Square::Identity(q_, q_);
    Eigen::LLT<Square> factor(bent_ + damped);
    if (factor.info() != Eigen::Success) factor.compute(straight_ + damped);
    const Place move = factor.solve(downhill_);
    next_ = at_ + move;
    moved_ = move.cwiseAbs().maxCoeff();
    if (damping_ == 0 && moved_ <= kNearestClose * (1 + at_.cwiseAbs().maxCoeff())) keep();
  }

  void write(double* out, Eigen::Index stride) const {
    All normal(q_ + 1);
    normal << -best_.slopes, 1;
    const double length = std::sqrt(normal.dot(correlation_ * normal));
    out[0] = (best_.error - best_.slopes.dot(best_.at)) / length;
    for (int k = 0; k < q_; ++k) out[(k + 1) * stride] = best_.place[k];
    out[(q_ + 1) * stride] = 1 / length;
  }

 private:
  using Scan = Eigen::Matrix<double, kCount, Q>;
  static constexpr int kMostStarts = 16;
  // The end of one way downhill: the place, and what was measured just before it.
  struct End {
    double square = kNone, error = 0;
    Place place, at, slopes;
  };

  // The squared distance at the place that was asked for, where the reading's error is `error`.
  double square(double error) const {
    All e(q_ + 1);
    e << next_, error;
    const double found = e.dot(precision_ * e);
    return std::isfinite(found) ? found : kNone;
  }
  // Whether the curve passes the reading between two places that were looked at.
  bool meets(int i, int k) const { return seen_(i, k) < kNone && seen_(i + 1, k) < kNone && errors_(i, k) * errors_(i + 1, k) < 0; }
  // The middle belongs to all scans.
  void start(double distance, int k) {
    const bool middle = distance == 0;
    if ((middle && middle_known_) || n_starts_ == kMostStarts) return;
    middle_known_ = middle_known_ || middle;
    starts_[n_starts_++] = {distance, k};
  }
  void keep() {
    if (least_ < best_.square) best_ = {least_, error_, next_, at_, slopes_};
    go_on();
  }
  void go_on() {
    done_ = done_ || n_starts_ == 0;
    if (done_) return;
    const std::pair<double, int> from = starts_[--n_starts_];
    look_at(from.first, from.second);
    measured_ = false;
    damping_ = 0;
  }

  int q_, n_starts_ = 0;
  AllSquare correlation_, precision_;
  Scan seen_, errors_;
  std::array<std::pair<double, int>, kMostStarts> starts_;
  Place at_, next_;
  End best_;
  bool done_ = false, measured_ = false, middle_known_ = false;
  double least_ = kNone, error_ = 0, damping_ = 0, largest_ = 0, moved_ = 0;
  Place slopes_, downhill_;
  Square straight_, bent_;
};

}  // namespace

NearestSearch::NearestSearch(Curve curve) : curve_(std::move(curve)) {
  Graph graph = curve_.graph;
  const int q = curve_.predictors;
  std::vector<int> nodes{curve_.node};
  const std::vector<int> slopes = gradient_nodes(graph, curve_.node, q);
  const std::vector<int> bends = hessian_nodes(graph, curve_.node, q);
  nodes.insert(nodes.end(), slopes.begin(), slopes.end());
  nodes.insert(nodes.end(), bends.begin(), bends.end());
  Graph on_rows;
  nodes = copied(graph, nodes, on_rows, [](Graph& to, const Node& leaf) { return leaf.op == Op::parameter ? to.column(leaf.index) : -1; });
  value_ = Program(on_rows, {nodes[0]});
  derivatives_ = Program(on_rows, nodes);
}

void NearestSearch::find(const std::vector<Input>& inputs, int output, double* out, int n) const {
  memory_.answer(inputs, output, out, n, [&] { return search(inputs, n); });
}

Eigen::MatrixXd NearestSearch::search(const std::vector<Input>& inputs, int n) const {
  switch (predictors()) {
    case 1: return search_by<1>(inputs, n);
    case 2: return search_by<2>(inputs, n);
    default: return search_by<Eigen::Dynamic>(inputs, n);
  }
}

template <int Q>
Eigen::MatrixXd NearestSearch::search_by(const std::vector<Input>& inputs, int n) const {
  const int q = predictors(), columns = q + curve_.others;
  Eigen::MatrixXd memory(n, columns);
  Columns table;
  table.rows = n;
  for (int k = 0; k < columns; ++k) table.data.push_back(memory.col(k).data());
  for (int k = 0; k < curve_.others; ++k)
    for (int i = 0; i < n; ++i) memory(i, q + k) = inputs[other(k)][i];

  std::vector<Row<Q>> rows;
  rows.reserve(n);
  typename Row<Q>::AllSquare correlated = Row<Q>::AllSquare::Identity(q + 1, q + 1);
  for (int i = 0; i < n; ++i) {
    for (int r = 1; r <= q; ++r)
      for (int c = 0; c < r; ++c) correlated(r, c) = correlated(c, r) = inputs[correlation(r, c)][i];
    rows.emplace_back(q, correlated);
  }
  const auto place = [&] {
    for (int i = 0; i < n; ++i)
      for (int k = 0; k < q; ++k) memory(i, k) = inputs[predictor(k)][i] - inputs[spread_of(k)][i] * rows[i].next()[k];
  };
  const auto error = [&](const Program::Workspace& space, int i) { return (inputs[reading()][i] - space.output(0)[i]) / inputs[spread()][i]; };

  Program::Workspace space;
  value_.prepare(nullptr, table, space);
  for (int k = 0; k < q; ++k)
    for (int p = 0; p < kCount; ++p) {
      for (Row<Q>& row : rows) row.look_at(kFirstPlaces[p], k);
      place();
      value_.run_block(space, table, 0, n);
      for (int i = 0; i < n; ++i)
        if (!rows[i].done()) rows[i].note(error(space, i), p, k);
    }
  for (Row<Q>& row : rows) row.begin();

  Program::Workspace bent;
  derivatives_.prepare(nullptr, table, bent);
  const auto open = [&] { return std::any_of(rows.begin(), rows.end(), [](const Row<Q>& row) { return !row.done(); }); };
  typename Row<Q>::Place slopes(q);
  typename Row<Q>::Square bends(q, q);
  for (int step = 0; step < kNearestMostSteps && open(); ++step) {
    place();
    derivatives_.run_block(bent, table, 0, n);
    for (int i = 0; i < n; ++i) {
      if (rows[i].done()) continue;
      const double unit = inputs[spread()][i];
      int next = q + 1;
      for (int k = 0; k < q; ++k) {
        slopes[k] = bent.output(k + 1)[i] * inputs[spread_of(k)][i] / unit;
        for (int l = 0; l <= k; ++l, ++next) bends(k, l) = bends(l, k) = -bent.output(next)[i] * inputs[spread_of(k)][i] * inputs[spread_of(l)][i] / unit;
      }
      rows[i].step(error(bent, i), slopes, bends);
    }
  }
  Eigen::MatrixXd found = Eigen::MatrixXd::Constant(n, outputs(), kNaN);
  for (int i = 0; i < n; ++i)
    if (rows[i].found()) rows[i].write(found.data() + i, n);
  return found;
}

std::shared_ptr<const NearestFunction> NearestSearch::function(int output) const {
  const std::lock_guard<std::mutex> lock(mutex_);
  functions_.resize(static_cast<std::size_t>(outputs()));
  std::shared_ptr<const NearestFunction> made = functions_[output].lock();
  if (!made) functions_[output] = made = std::make_shared<NearestFunction>(shared_from_this(), output);
  return made;
}

}  // namespace tundrel
