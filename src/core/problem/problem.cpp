#include "problem.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

#include "../threads.h"
#include "halted.h"

namespace tundrel {
namespace {

// A point that misses a condition by more than this is not one that holds it but for rounding.
constexpr double kMissAllowed = 1e-8;

}  // namespace

Slope Problem::slope(const Eigen::VectorXd& x) {
  const Expansion at = expand(x);
  return {at.usable, at.value, at.gradient};
}

void Problem::note_met(const Eigen::VectorXd& x, double value) {
  if (work.log) work.log->set_value(x, value);
  if (!std::isfinite(value) || !(value < work.best_value)) return;
  // Differences reach beyond conditions.
  if (joint && !(joint->misses(x).maxCoeff() <= kMissAllowed)) return;
  work.best_met = x;
  work.best_value = value;
}

Eigen::VectorXd Problem::batched(const Eigen::MatrixXd& all_points) {
  // what is known already is not called for
  std::vector<int> wanted;
  Eigen::VectorXd known_values(all_points.cols());
  for (int k = 0; k < all_points.cols(); ++k) {
    const Call* known = work.known(all_points.col(k));
    known_values[k] = known ? known->value : 0;
    if (!known || (!known->failed && !std::isfinite(known->value))) wanted.push_back(k);
  }
  if (wanted.size() < static_cast<std::size_t>(all_points.cols())) {
    Eigen::MatrixXd rest(all_points.rows(), static_cast<Eigen::Index>(wanted.size()));
    for (std::size_t k = 0; k < wanted.size(); ++k) rest.col(static_cast<Eigen::Index>(k)) = all_points.col(wanted[k]);
    const Eigen::VectorXd found = wanted.empty() ? Eigen::VectorXd() : called(rest);
    const std::size_t done = static_cast<std::size_t>(found.size());
    for (std::size_t k = 0; k < done; ++k) known_values[wanted[k]] = found[static_cast<Eigen::Index>(k)];
    // the values up to the first that could not be had
    return done < wanted.size() ? Eigen::VectorXd(known_values.head(wanted[done])) : known_values;
  }
  return called(all_points);
}

Eigen::VectorXd Problem::called(const Eigen::MatrixXd& points) {
  const Eigen::Index n = work.affordable(static_cast<int>(points.cols()));
  Eigen::VectorXd out(n);
  std::vector<Eigen::Index> wanted(static_cast<std::size_t>(n));
  std::iota(wanted.begin(), wanted.end(), 0);
  while (!wanted.empty()) {
    Eigen::MatrixXd rest(points.rows(), static_cast<Eigen::Index>(wanted.size()));
    for (std::size_t k = 0; k < wanted.size(); ++k) rest.col(static_cast<Eigen::Index>(k)) = points.col(wanted[k]);
    std::vector<bool> to_come;
    const Eigen::VectorXd found = work.late(rest, to_come);
    if (work.is_halted()) break;
    std::vector<Eigen::Index> left;
    for (std::size_t k = 0; k < wanted.size(); ++k) {
      const auto place = static_cast<Eigen::Index>(k);
      if (to_come[k]) {
        left.push_back(wanted[k]);
        continue;
      }
      out[wanted[k]] = found[place];
      note_call(rest.col(place), found[place], place, rest.cols());
    }
    wanted = left;
    if (std::chrono::steady_clock::now() >= work.deadline) break;
  }
  // those up to the first that is not there; what came beyond it is known from now on
  return wanted.empty() ? out : Eigen::VectorXd(out.head(wanted[0]));
}

void Problem::note_call(const Eigen::VectorXd& x, double value, Eigen::Index k, Eigen::Index asked) {
  ++work.evaluations;
  work.refused += !std::isfinite(value);
  const bool rows = work.batch_results.cols() == asked;
  // how long one of several workers took is not known
  constexpr double seconds = std::numeric_limits<double>::quiet_NaN();
  if (work.log) work.log->add({x, rows ? Eigen::VectorXd(work.batch_results.col(k)) : Eigen::VectorXd(), value, !std::isfinite(value), seconds, work.reason});
  note_met(x, value);
}

Eigen::VectorXd Problem::values_so_far(const Eigen::MatrixXd& points, std::vector<bool>& to_come) {
  Eigen::VectorXd out = work.late(points, to_come);
  if (work.is_halted()) throw Halted();
  for (Eigen::Index k = 0; k < points.cols(); ++k)
    if (!to_come[static_cast<std::size_t>(k)]) note_call(points.col(k), out[k], k, points.cols());
  return out;
}

Eigen::VectorXd Problem::values(const Eigen::MatrixXd& points) {
  if (work.batch) return batched(points);
  // Between looks at the clock each thread has some points.
  constexpr int kAtOnce = 8;
  const int n = calls_user() ? work.affordable(static_cast<int>(points.cols())) : static_cast<int>(points.cols());
  Eigen::VectorXd out(n);
  std::vector<std::unique_ptr<Problem>> helpers;
  for (int k = 1; k < std::min(work.threads, n); ++k)
    if (auto helper = clone()) helpers.push_back(std::move(helper));
  const int workers = static_cast<int>(helpers.size()) + 1;
  int done = 0;
  while (done < n) {
    const int now = std::min(n - done, workers > 1 ? workers * kAtOnce : 1);
    try {
      share_out(now, workers, [&](int thread, int job) {
        Problem& mine = thread == 0 ? *this : *helpers[thread - 1];
        out[done + job] = mine.value(points.col(done + job));
      });
    } catch (const Halted& stop) {
      // values are given one by one: those before this one are kept
      if (stop.why != Halt::user || !calls_user()) throw;
      break;
    }
    if (work.is_halted()) break;
    done += now;
    if (std::chrono::steady_clock::now() >= work.deadline) break;
  }
  for (const auto& helper : helpers) {
    work.evaluations += helper->work.evaluations;
    work.refused += helper->work.refused;
  }
  return out.head(done);
}

}  // namespace tundrel
