#include "grouped_squares.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "../threads.h"
#include "halted.h"
#include "triangular_factor.h"

namespace tundrel {

Grouping::Grouping(std::vector<std::int64_t> first, Eigen::MatrixXi place, int size)
    : first(std::move(first)), place(std::move(place)), shared_rank(static_cast<std::size_t>(size), -1) {
  std::vector<int> reader(static_cast<std::size_t>(size), -1);
  std::vector<char> several(static_cast<std::size_t>(size), 0);
  for (int k = 0; k < count(); ++k)
    for (Eigen::Index i = 0; i < this->place.rows(); ++i) {
      const auto at = static_cast<std::size_t>(this->place(i, k));
      several[at] = several[at] || (reader[at] >= 0 && reader[at] != k);
      reader[at] = k;
    }
  for (int at = 0; at < size; ++at) {
    if (!several[static_cast<std::size_t>(at)]) continue;
    shared_rank[static_cast<std::size_t>(at)] = static_cast<int>(shared.size());
    shared.push_back(at);
  }
}

Eigen::VectorXd Grouping::of_group(const Eigen::VectorXd& x, int k) const {
  Eigen::VectorXd out(place.rows());
  for (Eigen::Index i = 0; i < out.size(); ++i) out[i] = x[place(i, k)];
  return out;
}

GroupedSquares::GroupedSquares(std::unique_ptr<Problem> model, Columns measured, Grouping grouping, Bounds bounds)
    : measured_(std::move(measured)), grouping_(std::move(grouping)), bounds_(std::move(bounds)) {
  models_.push_back(std::move(model));
}

std::unique_ptr<Problem> GroupedSquares::clone() const {
  auto out = std::make_unique<GroupedSquares>(models_[0]->clone(), measured_, grouping_, bounds_);
  out->work.halted = work.halted;
  out->joint = joint;
  out->box = box;
  return out;
}

Problem& GroupedSquares::on_group(Problem& model, int k) const {
  Columns rows = measured_;
  for (const double*& column : rows.data) column += grouping_.first[static_cast<std::size_t>(k)];
  rows.rows = grouping_.first[static_cast<std::size_t>(k) + 1] - grouping_.first[static_cast<std::size_t>(k)];
  model.read(rows);
  model.expect(grouping_.of_group(bounds_.typical, k));
  return model;
}

void GroupedSquares::for_each_group(const Eigen::VectorXd& x, const std::function<void(Problem&, const Eigen::VectorXd&, int)>& use) {
  const int groups = grouping_.count(), workers = std::max(1, std::min(work.threads, groups));
  while (static_cast<int>(models_.size()) < workers) models_.push_back(models_[0]->clone());
  for (int done = 0; done < groups; done += kAtOnce * workers) {
    if (done > 0 && work.is_halted()) throw Halted();
    share_out(std::min(kAtOnce * workers, groups - done), workers, [&](int thread, int job) {
      const int k = done + job;
      use(on_group(*models_[static_cast<std::size_t>(thread)], k), grouping_.of_group(x, k), k);
    });
  }
}

bool GroupedSquares::count(bool usable) {
  ++work.evaluations;
  work.refused += !usable;
  return usable;
}

double GroupedSquares::value(const Eigen::VectorXd& x) {
  Eigen::VectorXd values(grouping_.count());
  for_each_group(x, [&](Problem& model, const Eigen::VectorXd& mine, int k) { values[k] = model.value(mine); });
  const double sum = values.sum();
  count(std::isfinite(sum));
  return sum;
}

bool GroupedSquares::linearise_groups(const Eigen::VectorXd& x, std::vector<Linearisation>& at) {
  at.resize(static_cast<std::size_t>(grouping_.count()));
  for_each_group(x, [&](Problem& model, const Eigen::VectorXd& mine, int k) { model.squares()->linearise_into(mine, at[static_cast<std::size_t>(k)]); });
  return count(std::all_of(at.begin(), at.end(), [](const Linearisation& one) { return one.usable; }));
}

void GroupedSquares::linearise_into(const Eigen::VectorXd& x, Linearisation& at) {
  at.usable = false;
  at.value = std::numeric_limits<double>::infinity();
  if (!linearise_groups(x, groups_)) return;
  const Eigen::Index q = grouping_.place.rows();
  TriangularFactor all(size() + 1, static_cast<int>(q) + 1);
  double sum = 0;
  for (int k = 0; k < grouping_.count(); ++k) {
    const Linearisation& group = groups_[static_cast<std::size_t>(k)];
    Eigen::MatrixXd rows = Eigen::MatrixXd::Zero(q + 1, size() + 1);
    for (Eigen::Index i = 0; i < q; ++i) rows.col(grouping_.place(i, k)).head(q) += group.factor.col(i);
    rows.col(size()).head(q) = group.projected;
    rows(q, size()) = group.remainder;
    std::vector<const double*> columns;
    for (Eigen::Index j = 0; j < rows.cols(); ++j) columns.push_back(rows.col(j).data());
    all.fold(columns.data(), static_cast<int>(q) + 1);
    sum += group.value;
  }
  at.set(sum, all.triangle());
}

double GroupedSquares::response_norm() {
  if (response_norm_ < 0) {
    response_norm_ = 0;
    for (int k = 0; k < grouping_.count(); ++k) response_norm_ = std::hypot(response_norm_, on_group(*models_[0], k).squares()->response_norm());
  }
  return response_norm_;
}

bool GroupedSquares::curvature_of_group(const Eigen::VectorXd& x, int k, Eigen::MatrixXd& curvature) {
  return on_group(*models_[0], k).squares()->residual_curvature(grouping_.of_group(x, k), curvature);
}

bool GroupedSquares::residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) {
  curvature.setZero(size(), size());
  Eigen::MatrixXd one;
  for (int k = 0; k < grouping_.count(); ++k) {
    if (!curvature_of_group(x, k, one)) return false;
    for (Eigen::Index i = 0; i < one.rows(); ++i)
      for (Eigen::Index j = 0; j < one.cols(); ++j) curvature(grouping_.place(i, k), grouping_.place(j, k)) += one(i, j);
  }
  return true;
}

}  // namespace tundrel
