#include "surrogate.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"
#include "../step/nearest_point.h"
#include "bfgs.h"
#include "solver_table.h"
#include "space_filling.h"

namespace tundrel {
namespace {

const RegisteredSolver surrogate_entry{{
    "surrogate", true, "none", kAnyForm, Honours::everything,
    {whole_setting("first", kChosen, 2, 1e5), whole_setting("batch", 1, 1, 1e4), number_setting("noise", kChosen, 0, true), number_setting("improvement", 1e-4, 0, true), number_setting("agreeing", 2, 1, true)},
    "values that take seconds to days each", "many values, and more than some twenty parameters",
    [](const SolverSettings& s) {
      SurrogateSearch::Settings settings;
      settings.first = s.whole("first");
      settings.batch = s.whole("batch");
      settings.noise = s.number("noise");
      settings.improvement = s.number("improvement");
      settings.agreeing = s.whole("agreeing");
      return std::make_unique<SurrogateSearch>(settings, PopulationSolver::Common{s.number("seed")});
    }}};

// Of so many Latin hypercubes the one whose points are farthest apart begins the search.
constexpr int kHypercubes = 50;
// Points of the cube are the same within this; conditions hold within the other.
constexpr double kSame = 1e-7, kSurrogateMissAllowed = 1e-10;
// Places looked at for each coordinate, everywhere and about the best; so many of them are walked on from, by so many steps.
constexpr int kPlaces = 150, kSurrogateNear = 60, kWalked = 4, kSurrogateMostSteps = 40, kSurrogateMostDraws = 200;
// Of residuals so many parts are modelled, which make up at least this share of their squares each. A sum of squares is that to this share.
constexpr Eigen::Index kMostParts = 12;
constexpr double kLeastPart = 1e-9, kSameSum = 1e-8;
// Below this share of what the middle value is a sum of squares is as good as nothing.
constexpr double kNoSquares = 1e-8;
constexpr double kSurrogateReach = 1.959964;
// With up to so many values lengths are learnt anew with each; later, when there are a fifth more.
constexpr int kLearnEach = 60;
// Beyond so many coordinates points stay in a region around the best.
constexpr int kEverywhere = 8;
constexpr double kFirstSide = 0.8, kMostSide = 1.6, kLeastSide = 0.8 / 128;
constexpr int kSuccesses = 3;
// The walk to the bottom of a valley: its first region as a share of the cube, and what matters of the value.
constexpr double kSurrogateLeastRadius = 1e-3, kMostRadius = 0.1, kClosingTolerance = 1e-9;
// The search ends when no improvement was expected in so many calls for each coordinate, one after the other.
constexpr int kIdle = 1;
// Searches that go on disagreeing are given up after so many.
constexpr int kMostSearches = 10;
// Beside a valley that is known, others are looked for that are lower by this share of what the middle value is above the best.
constexpr double kSurrogateWorthwhile = 0.03;

double least_distance(const Eigen::MatrixXd& points) {
  double least = std::numeric_limits<double>::infinity();
  for (Eigen::Index i = 0; i < points.cols(); ++i)
    for (Eigen::Index j = 0; j < i; ++j) least = std::min(least, (points.col(i) - points.col(j)).squaredNorm());
  return least;
}

}  // namespace

void SurrogateSearch::begin(const Eigen::VectorXd& unit) {
  const Eigen::Index d = unit.size();
  seen_.resize(d, 0);
  found_.resize(0);
  lengths_ = {};
  bend_ = learnt_ = 0;
  side_ = d > kEverywhere ? kFirstSide : 0;
  successes_ = failures_ = 0;
  idle_ = 0;
  from_ = 0;
  closing_ = ready_ = false;
  restarts_ = {};
}

bool SurrogateSearch::settle(const Problem& problem, Eigen::VectorXd& unit) const {
  if (!problem.joint) return true;
  Eigen::VectorXd x = problem.box.from_unit(unit);
  if (problem.joint->misses(x).maxCoeff() <= kSurrogateMissAllowed) return true;
  if (!nearest_inside(*problem.joint, problem.bounds(), x)) return false;
  unit = problem.box.to_unit(x);
  return problem.joint->misses(problem.box.from_unit(unit)).maxCoeff() <= kSurrogateMissAllowed;
}

Eigen::VectorXd SurrogateSearch::anywhere(const Problem& problem) {
  Eigen::VectorXd unit(size());
  for (int draw = 0; draw < kSurrogateMostDraws; ++draw) {
    for (int i = 0; i < size(); ++i) unit[i] = random_.uniform();
    if (settle(problem, unit)) break;
  }
  return unit;
}

Eigen::MatrixXd SurrogateSearch::first_round(const Problem& problem) {
  const int n = settings_.first > 0 ? settings_.first : 2 * size() + 2;
  Eigen::MatrixXd best;
  double farthest = -1;
  for (int k = 0; k < kHypercubes; ++k) {
    Eigen::MatrixXd units(size(), n);
    if (from_ == 0)
      units << best_, latin_hypercube(size(), n - 1, random_);
    else
      units = latin_hypercube(size(), n, random_);
    for (int j = 0; j < n; ++j) {
      Eigen::VectorXd unit = units.col(j);
      units.col(j) = settle(problem, unit) ? unit : anywhere(problem);
    }
    const double apart = least_distance(units);
    if (!(apart > farthest)) continue;
    farthest = apart;
    best = units;
  }
  return best;
}

bool SurrogateSearch::is_noisy() const { return settings_.noise > 0 || (!by_residual() && lengths_.log_noise > std::log(1e-6)); }

void SurrogateSearch::sort_out(const Problem& problem) {
  const auto from = static_cast<Eigen::Index>(from_);
  const Eigen::Index n = (found_.tail(found_.size() - from).array() < kWorst).count();
  some_fail_ = (found_.array() == kWorst).any();
  good_.resize(size(), n);
  values_.resize(n);
  for (Eigen::Index k = from, to = 0; k < found_.size(); ++k) {
    if (found_[k] == kWorst) continue;
    good_.col(to) = seen_.col(k);
    values_[to++] = found_[k];
  }
  take_residuals(problem);
}

void SurrogateSearch::take_residuals(const Problem& problem) {
  residuals_.resize(values_.size(), 0);
  if (!problem.work.log || settings_.noise > 0 || values_.size() < 3) return;
  const Eigen::Index n = values_.size();
  std::vector<Eigen::VectorXd> calls;
  for (Eigen::Index k = 0; k < n; ++k) {
    const Call* call = problem.work.known(problem.box.from_unit(good_.col(k)));
    if (!call || call->result.size() < 2 || (!calls.empty() && call->result.size() != calls[0].size())) return;
    calls.push_back(problem.residuals_of(call->result));
    if (!(std::fabs(calls.back().squaredNorm() - values_[k]) <= kSameSum * std::fabs(values_[k]))) return;
  }
  Eigen::MatrixXd products(n, n);
  for (Eigen::Index i = 0; i < n; ++i)
    for (Eigen::Index j = 0; j <= i; ++j) products(i, j) = products(j, i) = calls[static_cast<std::size_t>(i)].dot(calls[static_cast<std::size_t>(j)]);
  const SymmetricSpectrum spectrum = symmetric_spectrum(products);
  // eigenvalues may come in either order
  std::vector<Eigen::Index> order(static_cast<std::size_t>(n));
  for (Eigen::Index k = 0; k < n; ++k) order[static_cast<std::size_t>(k)] = k;
  std::stable_sort(order.begin(), order.end(), [&](Eigen::Index a, Eigen::Index b) { return spectrum.values[a] > spectrum.values[b]; });
  const double most = spectrum.values[order[0]];
  Eigen::Index parts = 0;
  while (parts < std::min<Eigen::Index>(n, kMostParts) && spectrum.values[order[static_cast<std::size_t>(parts)]] > kLeastPart * most) ++parts;
  residuals_.resize(n, parts);
  for (Eigen::Index k = 0; k < parts; ++k) {
    const Eigen::Index which = order[static_cast<std::size_t>(k)];
    // a direction or its reverse: the same on every machine
    Eigen::Index largest;
    spectrum.vectors.col(which).cwiseAbs().maxCoeff(&largest);
    const double sign = spectrum.vectors(largest, which) < 0 ? -1 : 1;
    residuals_.col(k) = sign * std::sqrt(spectrum.values[which]) * spectrum.vectors.col(which);
  }
}

GaussianProcess::Trend SurrogateSearch::trend() const {
  return by_residual() && values_.size() > 2 * (size() + 1) ? GaussianProcess::Trend::linear : GaussianProcess::Trend::constant;
}

void SurrogateSearch::learn() {
  const auto n = static_cast<double>(values_.size());
  if (n > kLearnEach && n < 1.2 * learnt_) return;
  if (by_residual()) {
    process_.set(good_, residuals_, trend());
    process_.learn(GaussianProcess::Noise::none, 0, lengths_, true);
    lengths_ = process_.lengths();
    learnt_ = n;
    return;
  }
  if (settings_.noise <= 0 && lengths_.log_length.size() > 0) bend_ = ValueScale::best_bend(good_, values_, lengths_);
  scale_ = ValueScale(values_, bend_);
  process_.set(good_, scale_.scaled(values_), GaussianProcess::Trend::constant);
  const auto noise = settings_.noise > 0 ? GaussianProcess::Noise::known : settings_.noise == 0 ? GaussianProcess::Noise::none : GaussianProcess::Noise::found;
  const double unit = scale_.slope_at(0);
  process_.learn(noise, settings_.noise * settings_.noise / (unit * unit), lengths_, true);
  lengths_ = process_.lengths();
  learnt_ = n;
}

void SurrogateSearch::build() {
  scale_ = ValueScale(values_, bend_);
  process_.set(good_, by_residual() ? residuals_ : Eigen::MatrixXd(scale_.scaled(values_)), trend());
  while (!process_.take(lengths_)) lengths_.log_noise += 1;
  if (some_fail_) {
    success_.set(seen_, (found_.array() < kWorst).cast<double>().matrix(), GaussianProcess::Trend::constant);
    GaussianProcess::Lengths rough;
    rough.log_length = Eigen::VectorXd::Constant(size(), std::log(0.25 * std::sqrt(static_cast<double>(size()))));
    rough.log_noise = std::log(1e-3);
    rough.smooth = false;
    success_.take(rough);
  }
  ready_ = true;
}

int SurrogateSearch::expected_best(double& value) const {
  int best = 0;
  value = std::numeric_limits<double>::infinity();
  const Eigen::VectorXd plain = scale_.scaled(values_);
  for (Eigen::Index k = 0; k < values_.size(); ++k) {
    const double here = is_noisy() ? process_.predict(good_.col(k), false).mean[0] : plain[k];
    if (!(here < value)) continue;
    value = here;
    best = static_cast<int>(k);
  }
  return best;
}

bool SurrogateSearch::is_new(const Eigen::VectorXd& unit, const Eigen::MatrixXd& others) const {
  for (Eigen::Index k = 0; k < others.cols(); ++k)
    if ((others.col(k) - unit).cwiseAbs().maxCoeff() < kSame) return false;
  return true;
}

Eigen::VectorXd SurrogateSearch::best_place(const Problem& problem, const GaussianProcess& process, double& expected) {
  double best_value;
  const int best = expected_best(best_value);
  const Eigen::VectorXd centre = good_.col(best);
  const GaussianProcess* success = some_fail_ ? &success_ : nullptr;
  std::unique_ptr<Worth> worth;
  if (by_residual())
    worth = std::make_unique<SquaresImprovement>(process, success, values_[best] * (idle_ > 0 ? 1 - kSurrogateWorthwhile : 1), centre, side_);
  else
    worth = std::make_unique<Improvement>(process, success, best_value - (idle_ > 0 ? kSurrogateWorthwhile : 0), centre, side_);
  Worth& improvement = *worth;
  const Bounds& within = improvement.bounds();
  // the best few places are near others, and are looked around
  std::vector<int> order(static_cast<std::size_t>(values_.size()));
  for (std::size_t k = 0; k < order.size(); ++k) order[k] = static_cast<int>(k);
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return values_[a] < values_[b]; });
  const Eigen::VectorXd reach = lengths_.log_length.array().exp().min(1.0);
  std::vector<std::pair<double, Eigen::VectorXd>> places;
  const auto look = [&](Eigen::VectorXd unit) {
    unit = unit.cwiseMax(within.lower).cwiseMin(within.upper);
    if (!settle(problem, unit)) return;
    const double value = improvement.value(unit);
    if (std::isfinite(value)) places.push_back({value, unit});
  };
  for (int k = 0; k < kPlaces * size(); ++k) {
    Eigen::VectorXd unit(size());
    for (int i = 0; i < size(); ++i) unit[i] = within.lower[i] + random_.uniform() * (within.upper[i] - within.lower[i]);
    look(unit);
  }
  for (int k = 0; k < kSurrogateNear * size(); ++k) {
    const Eigen::VectorXd& about = good_.col(k % 2 == 0 ? best : order[static_cast<std::size_t>(random_.below(std::min(5, static_cast<int>(order.size()))))]);
    look(about + std::pow(10.0, -3 * random_.uniform()) * reach.cwiseProduct(random_.normals(size())));
  }
  if (places.empty()) {
    expected = std::numeric_limits<double>::infinity();
    return anywhere(problem);
  }
  const auto better = [](const auto& a, const auto& b) { return a.first < b.first; };
  std::stable_sort(places.begin(), places.end(), better);
  std::vector<Eigen::VectorXd> walked;
  std::vector<std::pair<double, Eigen::VectorXd>> ends;
  for (const auto& place : places) {
    if (static_cast<int>(walked.size()) == kWalked) break;
    bool apart = true;
    for (const Eigen::VectorXd& other : walked) apart = apart && ((other - place.second).cwiseQuotient(reach)).norm() > 0.2;
    if (!apart) continue;
    walked.push_back(place.second);
    ends.push_back(place);
    if (problem.joint) {
      // closer and closer about it
      double step = 0.1;
      for (int k = 0; k < kSurrogateMostDraws; ++k) {
        Eigen::VectorXd unit = (ends.back().second + step * reach.cwiseProduct(random_.normals(size()))).cwiseMax(within.lower).cwiseMin(within.upper);
        const double value = settle(problem, unit) ? improvement.value(unit) : std::numeric_limits<double>::infinity();
        if (value < ends.back().first)
          ends.back() = {value, unit};
        else
          step *= 0.96;
      }
    } else if (improvement.slope(place.second).usable) {
      Bfgs walk({1e-6});
      walk.start(improvement, place.second);
      for (int step = 0; step < kSurrogateMostSteps && walk.status().reason == StopReason::none; ++step) walk.iterate(improvement);
      if (walk.status().value < ends.back().first) ends.back() = {walk.status().value, walk.status().x};
    }
  }
  std::stable_sort(ends.begin(), ends.end(), better);
  for (const auto& end : ends)
    if (is_new(end.second, seen_)) {
      expected = end.first;
      return end.second;
    }
  for (const auto& place : places)
    if (is_new(place.second, seen_)) {
      expected = place.first;
      return place.second;
    }
  expected = std::numeric_limits<double>::infinity();
  return anywhere(problem);
}

void SurrogateSearch::take_known(const Problem& problem) {
  if (!problem.work.log || from_ > 0) return;
  double lowest = kWorst;
  for (const Call& call : problem.work.log->calls()) {
    if (call.reason != CallReason::known || call.x.size() != size()) continue;
    const bool inside = ((call.x - problem.box.lower).array() >= 0).all() && ((problem.box.upper - call.x).array() >= 0).all();
    if (!inside || (!call.failed && !std::isfinite(call.value))) continue;
    if (problem.joint && problem.joint->misses(call.x).maxCoeff() > kSurrogateMissAllowed) continue;
    seen_.conservativeResize(Eigen::NoChange, seen_.cols() + 1);
    seen_.rightCols(1) = problem.box.to_unit(call.x);
    found_.conservativeResize(seen_.cols());
    found_[seen_.cols() - 1] = call.failed ? kWorst : call.value;
    if (call.failed || !(call.value < lowest)) continue;
    lowest = call.value;
    best_ = seen_.rightCols(1);
    status_.x = call.x;
    status_.value = lowest;
    status_.infeasibility = 0;
  }
  if (seen_.cols() == 0) return;
  std::vector<Merit> merits;
  for (Eigen::Index k = 0; k < found_.size(); ++k) merits.push_back({found_[k], 0});
  restarts_.set_range(merits);
}

Eigen::MatrixXd SurrogateSearch::draw_round(const Problem& problem) {
  const bool first = seen_.cols() == 0;
  if (first) take_known(problem);
  if (seen_.cols() == static_cast<Eigen::Index>(from_)) return first_round(problem);
  if (!ready_) sort_out(problem);
  // known values may be too few to tell anything from
  const bool few = first && values_.size() <= size();
  const Eigen::MatrixXd& waiting = waited_for();
  const int batch = std::max(0, settings_.batch - static_cast<int>(waiting.cols()));
  Eigen::MatrixXd units(size(), few ? size() + 2 : batch);
  if (!few && batch == 0) return units;
  if (few) {
    for (Eigen::Index k = 0; k < units.cols(); ++k) units.col(k) = anywhere(problem);
    return units;
  }
  if (first) learn();
  if (values_.size() < 2) {
    for (int k = 0; k < batch; ++k) units.col(k) = anywhere(problem);
    return units;
  }
  if (!ready_) build();
  if (closing_ && !walk_.is_over()) {
    const Eigen::VectorXd wanted = walk_.ask();
    if (!walk_.is_over()) {
      bool under_way = false;
      for (Eigen::Index k = 0; k < waiting.cols(); ++k) under_way = under_way || waiting.col(k) == wanted;
      if (!under_way) units.col(0) = wanted;
      // others at work tell the walk how the ground lies about it
      for (int k = under_way ? 0 : 1; k < batch; ++k) units.col(k) = beside(wanted);
      return units;
    }
  }
  GaussianProcess believer = process_;
  Eigen::MatrixXd points = good_;
  Eigen::MatrixXd believed = by_residual() ? residuals_ : Eigen::MatrixXd(scale_.scaled(values_));
  // of a sum of squares improvement counts as a share of the best
  const double least = std::log(settings_.improvement) + (by_residual() ? std::log(std::max(values_.minCoeff(), kNoSquares * scale_.unscaled(1))) : 0);
  // of a point whose value is still to come, the expected one is believed
  const auto believe = [&](const Eigen::VectorXd& unit) {
    points.conservativeResize(Eigen::NoChange, points.cols() + 1);
    points.rightCols(1) = unit;
    believed.conservativeResize(believed.rows() + 1, Eigen::NoChange);
    believed.bottomRows(1) = believer.predict(unit, false).mean.transpose();
    believer.set(points, believed, trend());
    if (!believer.take(lengths_)) believer = process_;
  };
  for (Eigen::Index k = 0; k < waiting.cols(); ++k) believe(waiting.col(k));
  for (int k = 0; k < batch; ++k) {
    double expected;
    if (k == 0 && idle_ > 0) {
      // where nothing more is expected, lengths may have been taken for longer than they are
      GaussianProcess::Lengths cautious = lengths_;
      const double middle = std::min(lengths_.log_length.mean(), GaussianProcess::usual(size(), true).log_length[0]);
      cautious.log_length = cautious.log_length.cwiseMin(middle);
      if (!believer.take(cautious)) believer = process_;
    }
    units.col(k) = best_place(problem, believer, expected);
    if (k == 0) idle_ = idle_ == 0 && -expected > least ? 0 : idle_ + 1;
    if (k + 1 < batch) believe(units.col(k));
  }
  return units;
}

// A place within the walk's region of another one.
Eigen::VectorXd SurrogateSearch::beside(const Eigen::VectorXd& unit) {
  const Eigen::VectorXd direction = random_.normals(size());
  return (unit + walk_.radius() * direction / direction.norm()).cwiseMax(0.0).cwiseMin(1.0);
}

void SurrogateSearch::begin_closing() {
  double value;
  const Eigen::VectorXd centre = good_.col(expected_best(value));
  double nearest = 1;
  for (Eigen::Index k = 0; k < good_.cols(); ++k) {
    const double away = (good_.col(k) - centre).cwiseAbs().maxCoeff();
    if (away > 0) nearest = std::min(nearest, away);
  }
  const Eigen::VectorXd zero = Eigen::VectorXd::Zero(size()), one = Eigen::VectorXd::Ones(size());
  walk_.begin(zero, one, centre, values_.minCoeff(), std::clamp(2 * nearest, kSurrogateLeastRadius, kMostRadius), kClosingTolerance);
  for (Eigen::Index k = 0; k < good_.cols(); ++k) walk_.know(good_.col(k), values_[k]);
  closing_ = true;
}

void SurrogateSearch::search_over() {
  Eigen::Index lowest;
  const double value = values_.minCoeff(&lowest);
  restarts_.ended(good_.col(lowest), value, best_, status_.value);
  closing_ = ready_ = false;
  if (is_noisy() || restarts_.agree(settings_.agreeing)) {
    status_.reason = StopReason::value;
    status_.action = is_noisy() ? "no improvement expected" : "searches agree";
    return;
  }
  if (restarts_.count() >= kMostSearches) {
    status_.reason = StopReason::stalled;
    return;
  }
  from_ = static_cast<double>(seen_.cols());
  lengths_ = {};
  bend_ = learnt_ = 0;
  idle_ = successes_ = failures_ = 0;
  if (side_ > 0) side_ = kFirstSide;
}

void SurrogateSearch::judge_round(const Problem& problem, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) {
  const Eigen::Index before = seen_.cols(), now = units.cols(), from = static_cast<Eigen::Index>(from_);
  const double lowest = before > from ? found_.tail(before - from).minCoeff() : kWorst;
  seen_.conservativeResize(size(), before + now);
  seen_.rightCols(now) = units;
  found_.conservativeResize(before + now);
  for (Eigen::Index k = 0; k < now; ++k) found_[before + k] = merits[static_cast<std::size_t>(k)].value;
  ready_ = false;
  if (before == 0) restarts_.set_range(merits);
  sort_out(problem);
  if (of_waiting()) {
    status_.action = "last calls of a search";
    if (before == from) from_ += static_cast<double>(now);  // no part of the next one
    return;
  }
  if (closing_) {
    status_.action = "closing in";
    const Eigen::VectorXd wanted = walk_.ask();
    Eigen::Index told = -1;
    for (Eigen::Index k = 0; k < now; ++k) {
      if (units.col(k) == wanted)
        told = before + k;
      else if (found_[before + k] < kWorst)
        walk_.know(units.col(k), found_[before + k]);
    }
    if (told < 0) return;
    walk_.tell(found_[told] < kWorst ? found_[told] : std::numeric_limits<double>::quiet_NaN());
    walk_.ask();
    if (walk_.is_over()) search_over();
    return;
  }
  status_.action = before == from ? "box filled" : "called where improvement is expected";
  if (values_.size() < 2) return;
  const bool better = found_.tail(now).minCoeff() < lowest - scale_.slope_at(0) * kSurrogateWorthwhile / 10;
  if (better) idle_ = 0;
  if (side_ > 0 && before > from) {
    successes_ = better ? successes_ + 1 : 0;
    failures_ = better ? 0 : failures_ + 1;
    if (successes_ == kSuccesses) {
      side_ = std::min(2 * side_, kMostSide);
      successes_ = 0;
    }
    if (failures_ >= std::max(4, size()) / std::max(1, settings_.batch)) {
      side_ /= 2;
      failures_ = 0;
    }
  }
  learn();
  build();
  double value;
  const int best = expected_best(value);
  if (is_noisy()) {
    // the luckiest call is not the best place
    best_ = good_.col(best);
    status_.x = problem.box.from_unit(best_);
    status_.value = scale_.unscaled(value);
  }
  status_.step_norm = side_ > 0 ? side_ : 1;
  // a model may be too sure of itself, which further calls show
  if (idle_ < kIdle * size() && !(side_ > 0 && side_ < kLeastSide)) return;
  if (is_noisy() || by_residual() || problem.joint) return search_over();
  begin_closing();
  walk_.ask();
  if (walk_.is_over()) search_over();
}

Eigen::MatrixXd SurrogateSearch::expected(const Problem& problem, const Eigen::MatrixXd& units) const {
  Eigen::MatrixXd out = Eigen::MatrixXd::Constant(3, units.cols(), std::numeric_limits<double>::quiet_NaN());
  SurrogateSearch all = *this;
  all.from_ = 0;
  all.lengths_ = {};
  all.bend_ = 0;
  all.sort_out(problem);
  if (all.values_.size() < 2) return out;
  // the scale of values is chosen with lengths at hand
  for (int round = 0; round < 2; ++round) {
    all.learnt_ = 0;
    all.learn();
  }
  all.build();
  const double ends[] = {0, -kSurrogateReach, kSurrogateReach};
  for (Eigen::Index k = 0; k < units.cols(); ++k) {
    const GaussianProcess::Prediction at = all.process_.predict(units.col(k), false);
    if (all.by_residual()) {
      const SquaresMoments sum(all.process_, at);
      const double s = sum.log_sd();
      for (int end = 0; end < 3; ++end) out(end, k) = sum.mean * std::exp(-0.5 * s * s + ends[end] * s);
    } else {
      const double sd = std::sqrt(at.variance * all.process_.variance()[0]);
      for (int end = 0; end < 3; ++end) out(end, k) = all.scale_.unscaled(at.mean[0] + ends[end] * sd);
    }
  }
  return out;
}

void SurrogateSearch::visit_more(StateVisitor& v) {
  const int d = size();
  v.field("seen", seen_, StateVisitor::kAny, StateVisitor::kAny);
  v.require(seen_.rows() == d || seen_.size() == 0, "seen");
  v.require_in_cube("seen", seen_);
  v.within("found", found_, StateVisitor::kAny, -kWorst, kWorst);
  v.require(found_.size() == seen_.cols(), "found");
  v.within("log_length", lengths_.log_length, StateVisitor::kAny, -10, 10);
  v.require(lengths_.log_length.size() == d || lengths_.log_length.size() == 0, "log_length");
  v.within("log_noise", lengths_.log_noise, -50, 10);
  v.flag("smooth", lengths_.smooth);
  v.within("bend", bend_, 0, 1e3);
  v.within("learnt", learnt_, 0, StateVisitor::kMost);
  v.within("side", side_, 0, 2);
  v.small("successes", successes_);
  v.small("failures", failures_);
  v.small("idle", idle_);
  v.within("from", from_, 0, static_cast<double>(seen_.cols()));
  v.flag("closing", closing_);
  if (closing_) walk_.visit(v);
  restarts_.visit(v, d);
  ready_ = false;
}

}  // namespace tundrel
