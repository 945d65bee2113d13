#include "restarts.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace tundrel {
namespace {

// Ends this close together in the cube, or with values this close, are the same.
constexpr double kSamePlace = 1e-2, kRestartSameValue = 1e-6, kSameInRange = 1e-8;

}  // namespace

void Restarts::set_range(const std::vector<Merit>& first) {
  std::vector<double> values;
  for (const Merit& m : first)
    if (m.value < std::numeric_limits<double>::max()) values.push_back(m.value);
  std::sort(values.begin(), values.end());
  if (!values.empty()) range_ = values[values.size() / 2] - values[0];
}

void Restarts::ended(const Eigen::VectorXd& best, double value, const Eigen::VectorXd& overall, double overall_value) {
  const auto same = [this](const Eigen::VectorXd& a, double va, const Eigen::VectorXd& b, double vb) {
    return (a - b).lpNorm<Eigen::Infinity>() < kSamePlace || std::fabs(va - vb) <= kRestartSameValue * std::fabs(vb) + kSameInRange * range_;
  };
  const bool better = count_ == 0 || !same(overall, overall_value, best_, value_);
  ++count_;
  if (better) agreeing_ = 0;
  best_ = overall;
  value_ = overall_value;
  if (same(best, value, overall, overall_value)) ++agreeing_;
}

void Restarts::visit(StateVisitor& v, Eigen::Index sides) {
  v.small("restarts", count_);
  v.field("restart_best", best_, count_ > 0 ? sides : 0);
  v.field("restart_value", value_);
  v.field("restart_range", range_);
  v.small("agreeing", agreeing_);
}

}  // namespace tundrel
