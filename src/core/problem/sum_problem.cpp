#include "sum_problem.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>

#include "triangular_factor.h"

namespace tundrel {
namespace {

// One evaluation of the sum, however many parts there are; calls of the user's functions are all counted.
class CountOnce {
 public:
  CountOnce(Problem& whole, bool all) : whole_(whole), all_(all), before_(whole.work.evaluations), refused_(whole.work.refused) {}
  ~CountOnce() {
    if (all_) return;
    whole_.work.evaluations = before_ + 1;
    whole_.work.refused = std::min(whole_.work.refused, refused_ + 1);
  }
  CountOnce(const CountOnce&) = delete;
  CountOnce& operator=(const CountOnce&) = delete;

 private:
  Problem& whole_;
  bool all_;
  std::int64_t before_, refused_;
};

// Triangles below each other, as one. Fewer rows than columns are filled up with zeros.
Eigen::MatrixXd stacked(const std::vector<Eigen::MatrixXd>& factors, int columns) {
  int most = 1;
  for (const Eigen::MatrixXd& factor : factors) most = std::max(most, static_cast<int>(factor.rows()));
  TriangularFactor out(columns, most);
  for (const Eigen::MatrixXd& factor : factors) {
    std::vector<const double*> places;
    for (int j = 0; j < columns; ++j) places.push_back(factor.col(j).data());
    out.fold(places.data(), static_cast<int>(factor.rows()));
  }
  return out.triangle();
}

}  // namespace

bool Parts::calls_user() const {
  return std::any_of(parts_.begin(), parts_.end(), [](const auto& part) { return part->calls_user(); });
}

bool Parts::halts_midway() const {
  return std::any_of(parts_.begin(), parts_.end(), [](const auto& part) { return part->halts_midway(); });
}

std::vector<std::unique_ptr<Problem>> Parts::clones() const {
  std::vector<std::unique_ptr<Problem>> out;
  for (const auto& part : parts_) {
    auto copy = part->clone();
    if (!copy) return {};
    out.push_back(std::move(copy));
  }
  return out;
}

bool Parts::read(const Columns& columns) {
  bool some = false;
  for (const auto& part : parts_) some = part->read(columns) || some;
  return some;
}

void Parts::expect(const Eigen::VectorXd& typical) {
  for (const auto& part : parts_) part->expect(typical);
}

std::unique_ptr<Problem> SumOfSquares::clone() const {
  auto parts = parts_.clones();
  if (parts.empty()) return nullptr;
  auto out = std::make_unique<SumOfSquares>(std::move(parts));
  out->joint = joint;
  out->box = box;
  return out;
}

double SumOfSquares::value(const Eigen::VectorXd& x) {
  double sum = 0;
  {
    const CountOnce once(*this, calls_user());
    for (std::size_t k = 0; k < parts_.all().size(); ++k) sum += parts_.ask(k, *this, [&](Problem& part) { return part.value(x); });
  }
  if (calls_user()) note_met(x, sum);
  return sum;
}

void SumOfSquares::linearise_into(const Eigen::VectorXd& x, Linearisation& at) {
  const int p = size();
  const CountOnce once(*this, calls_user());
  std::vector<Eigen::MatrixXd> triangles;
  double value = 0;
  at = Linearisation();
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    const Linearisation one = parts_.ask(k, *this, [&](Problem& part) { return part.squares()->linearise(x); });
    if (!one.usable) return;
    value += one.value;
    Eigen::MatrixXd triangle = Eigen::MatrixXd::Zero(p + 1, p + 1);
    triangle.topLeftCorner(p, p) = one.factor;
    triangle.topRightCorner(p, 1) = one.projected;
    triangle(p, p) = one.remainder;
    triangles.push_back(std::move(triangle));
  }
  at.set(value, stacked(triangles, p + 1));
}

double SumOfSquares::response_norm() {
  double norm = 0;
  for (const auto& part : parts_.all()) norm = std::hypot(norm, part->squares()->response_norm());
  return norm;
}

bool SumOfSquares::rows(const Eigen::VectorXd& x, Eigen::VectorXd& residuals, Eigen::MatrixXd* jacobian) {
  {
    const CountOnce once(*this, calls_user());
    residuals.resize(0);
    if (jacobian) jacobian->resize(0, size());
    for (std::size_t k = 0; k < parts_.all().size(); ++k) {
      Eigen::VectorXd some;
      Eigen::MatrixXd slopes;
      if (!parts_.ask(k, *this, [&](Problem& part) { return part.squares()->rows(x, some, jacobian ? &slopes : nullptr); })) return false;
      const Eigen::Index before = residuals.size(), after = before + some.size();
      residuals.conservativeResize(after);
      residuals.tail(some.size()) = some;
      if (!jacobian) continue;
      jacobian->conservativeResize(after, Eigen::NoChange);
      jacobian->bottomRows(some.size()) = slopes;
    }
  }
  if (calls_user()) note_met(x, residuals.squaredNorm());
  return true;
}

bool SumOfSquares::residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) {
  curvature.setZero(size(), size());
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    Eigen::MatrixXd one;
    if (!parts_.ask(k, *this, [&](Problem& part) { return part.squares()->residual_curvature(x, one); })) return false;
    curvature += one;
  }
  return true;
}

bool SumOfSquares::verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) {
  curvature.setZero(size(), size());
  noise.resize(0, 0);
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    Eigen::MatrixXd one, of_one;
    if (!parts_.ask(k, *this, [&](Problem& part) { return part.squares()->verified_curvature(x, one, of_one); })) return false;
    curvature += one;
    if (of_one.size() > 0) noise = noise.size() > 0 ? Eigen::MatrixXd(noise + of_one) : of_one;
  }
  return true;
}

double SumOfSquares::column_noise(const Eigen::VectorXd& x, int i) {
  double noise = 0;
  for (const auto& part : parts_.all()) noise = std::hypot(noise, part->squares()->column_noise(x, i));
  return noise;
}

bool SumOfSquares::bend_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, Eigen::VectorXd& bend) {
  const CountOnce once(*this, calls_user());
  bend.setZero(size());
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    Eigen::VectorXd one;
    if (!parts_.ask(k, *this, [&](Problem& part) { return part.squares()->bend_along(x, direction, one); })) return false;
    bend += one;
  }
  return true;
}

std::vector<int> SumOfSquares::linear_parameters() {
  std::vector<int> out = parts_[0].squares()->linear_parameters();
  for (const auto& part : parts_.all()) {
    const std::vector<int> also = part->squares()->linear_parameters();
    out.erase(std::remove_if(out.begin(), out.end(), [&](int i) { return std::find(also.begin(), also.end(), i) == also.end(); }), out.end());
  }
  return out;
}

std::unique_ptr<Problem> SumOfLosses::clone() const {
  auto parts = parts_.clones();
  if (parts.empty()) return nullptr;
  auto out = std::make_unique<SumOfLosses>(std::move(parts));
  out->joint = joint;
  out->box = box;
  return out;
}

Kinks* SumOfLosses::kinks() {
  return std::any_of(parts_.all().begin(), parts_.all().end(), [](const auto& part) { return part->kinks() != nullptr; }) ? this : nullptr;
}

double SumOfLosses::value(const Eigen::VectorXd& x) {
  double sum = 0;
  {
    const CountOnce once(*this, calls_user());
    for (std::size_t k = 0; k < parts_.all().size(); ++k) sum += parts_.ask(k, *this, [&](Problem& part) { return part.value(x); });
  }
  if (calls_user()) note_met(x, sum);
  return sum;
}

Slope SumOfLosses::slope(const Eigen::VectorXd& x) {
  const CountOnce once(*this, calls_user());
  Slope sum{true, 0, Eigen::VectorXd::Zero(size())};
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    const Slope one = parts_.ask(k, *this, [&](Problem& part) { return part.slope(x); });
    if (!one.usable) return {};
    sum.value += one.value;
    sum.gradient += one.gradient;
  }
  return sum;
}

Expansion SumOfLosses::expand(const Eigen::VectorXd& x) {
  const CountOnce once(*this, calls_user());
  const int p = size();
  Expansion sum;
  sum.value = 0;
  sum.gradient = Eigen::VectorXd::Zero(p);
  sum.hessian = Eigen::MatrixXd::Zero(p, p);
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    const Expansion one = parts_.ask(k, *this, [&](Problem& part) { return part.expand(x); });
    if (!one.usable) return {};
    sum.value += one.value;
    sum.gradient += one.gradient;
    sum.hessian += one.hessian;
    if (one.gradient_noise.size() > 0) sum.gradient_noise = sum.gradient_noise.size() > 0 ? Eigen::VectorXd(sum.gradient_noise + one.gradient_noise) : one.gradient_noise;
    if (one.hessian_noise.size() > 0) sum.hessian_noise = sum.hessian_noise.size() > 0 ? Eigen::MatrixXd(sum.hessian_noise + one.hessian_noise) : one.hessian_noise;
  }
  sum.usable = true;
  return sum;
}

double SumOfLosses::value_unit(const Expansion& at) {
  double unit = std::numeric_limits<double>::infinity();
  for (const auto& part : parts_.all()) unit = std::min(unit, part->value_unit(at));
  return unit;
}

void SumOfLosses::smooth_by(double width) {
  for (const auto& part : parts_.all())
    if (Kinks* kinks = part->kinks()) kinks->smooth_by(width);
}

KinkSizes SumOfLosses::kink_sizes(const Eigen::VectorXd& x) {
  KinkSizes out;
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    const KinkSizes one = parts_.ask(k, *this, [&](Problem& part) { return part.kinks() ? part.kinks()->kink_sizes(x) : KinkSizes(); });
    out.mean = std::max(out.mean, one.mean);
    out.rounding = std::max(out.rounding, one.rounding);
  }
  return out;
}

KinkedExpansion SumOfLosses::expand_kinks(const Eigen::VectorXd& x, double width, int most) {
  const CountOnce once(*this, calls_user());
  const int p = size();
  KinkedExpansion sum;
  sum.rest = {true, 0, Eigen::VectorXd::Zero(p), Eigen::MatrixXd::Zero(p, p), {}, {}};
  sum.effort = Eigen::VectorXd::Zero(p);
  sum.rows = 0;
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    const KinkedExpansion one = parts_.ask(k, *this, [&](Problem& part) {
      if (part.kinks()) return part.kinks()->expand_kinks(x, width, most);
      KinkedExpansion smooth;
      smooth.rest = part.expand(x);
      smooth.usable = smooth.rest.usable;
      smooth.effort = smooth.rest.gradient.cwiseAbs();
      return smooth;
    });
    if (!one.usable) return {};
    sum.rest.value += one.rest.value;
    sum.rest.gradient += one.rest.gradient;
    sum.rest.hessian += one.rest.hessian;
    sum.effort += one.effort;
    sum.rows += one.rows;
    sum.kinks.insert(sum.kinks.end(), one.kinks.begin(), one.kinks.end());
  }
  sum.usable = static_cast<int>(sum.kinks.size()) <= most;
  return sum;
}

// Of some parts curvature tells the information: then it does of all.
Eigen::MatrixXd SumOfLosses::expected_factor(const Eigen::VectorXd& x) {
  std::vector<Eigen::MatrixXd> factors;
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    const Eigen::MatrixXd one = parts_.ask(k, *this, [&](Problem& part) { return part.row_slopes() ? part.row_slopes()->expected_factor(x) : Eigen::MatrixXd(); });
    if (one.size() == 0) return {};
    factors.push_back(one);
  }
  return stacked(factors, size());
}

Eigen::MatrixXd SumOfLosses::slopes_factor(const Eigen::VectorXd& x) {
  std::vector<Eigen::MatrixXd> factors;
  for (std::size_t k = 0; k < parts_.all().size(); ++k) {
    const Eigen::MatrixXd one = parts_.ask(k, *this, [&](Problem& part) { return part.row_slopes() ? part.row_slopes()->slopes_factor(x) : Eigen::MatrixXd(); });
    if (one.size() > 0) factors.push_back(one);
  }
  return stacked(factors, size());
}

bool SumOfLosses::spread_of_slopes() {
  return std::any_of(parts_.all().begin(), parts_.all().end(), [](const auto& part) { return part->row_slopes() && part->row_slopes()->spread_of_slopes(); });
}

}  // namespace tundrel
