// A criterion that is a sum of others in the same parameters: several blocks of rows, and what is known beforehand.
#pragma once
#include <cstdint>
#include <memory>
#include <utility>
#include <vector>

#include "kinks.h"
#include "squares.h"

namespace tundrel {

// Parts spend what the sum may spend: each evaluation of the sum is one of each part, and counts once where none calls the user.
class Parts {
 public:
  explicit Parts(std::vector<std::unique_ptr<Problem>> parts) : parts_(std::move(parts)) {}

  Problem& operator[](std::size_t k) const { return *parts_[k]; }
  const std::vector<std::unique_ptr<Problem>>& all() const { return parts_; }
  bool calls_user() const;
  bool halts_midway() const;
  // Copies for another thread; empty where some part has none.
  std::vector<std::unique_ptr<Problem>> clones() const;
  // All that have measurements of their own take these.
  bool read(const Columns& columns);
  void expect(const Eigen::VectorXd& typical);
  // Hands one part what there is to spend, asks it, and takes back what is left.
  template <class Ask>
  auto ask(std::size_t k, Problem& whole, const Ask& question) const {
    Problem& part = *parts_[k];
    part.refined = whole.refined;
    part.sparing = whole.sparing;
    const Lent lent(part, whole);
    return question(part);
  }

 private:
  // The best that a part meets is not the best of the sum. Where the user is called, what calls nobody costs nothing.
  struct Lent {
    Lent(Problem& part, Problem& whole) : part(part), whole(whole), best_met(whole.work.best_met), best_value(whole.work.best_value), evaluations(whole.work.evaluations) {
      std::swap(part.work, whole.work);
    }
    ~Lent() {
      std::swap(part.work, whole.work);
      if (!part.calls_user() && whole.calls_user()) whole.work.evaluations = evaluations;
      whole.work.best_met = best_met;
      whole.work.best_value = best_value;
    }
    Lent(const Lent&) = delete;
    Lent& operator=(const Lent&) = delete;

    Problem &part, &whole;
    Eigen::VectorXd best_met;
    double best_value;
    std::int64_t evaluations;
  };

  std::vector<std::unique_ptr<Problem>> parts_;
};

// Of sums of squares.
class SumOfSquares : public SquaresProblem {
 public:
  explicit SumOfSquares(std::vector<std::unique_ptr<Problem>> parts) : parts_(std::move(parts)) {}

  int size() const override { return parts_[0].size(); }
  const Bounds& bounds() const override { return parts_[0].bounds(); }
  bool calls_user() const override { return parts_.calls_user(); }
  bool halts_midway() const override { return parts_.halts_midway(); }
  bool read(const Columns& columns) override { return parts_.read(columns); }
  void expect(const Eigen::VectorXd& typical) override { parts_.expect(typical); }
  std::unique_ptr<Problem> clone() const override;

  double value(const Eigen::VectorXd& x) override;
  void linearise_into(const Eigen::VectorXd& x, Linearisation& at) override;
  double response_norm() override;
  bool rows(const Eigen::VectorXd& x, Eigen::VectorXd& residuals, Eigen::MatrixXd* jacobian) override;
  bool residual_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature) override;
  bool verified_curvature(const Eigen::VectorXd& x, Eigen::MatrixXd& curvature, Eigen::MatrixXd& noise) override;
  double column_noise(const Eigen::VectorXd& x, int i) override;
  bool bend_along(const Eigen::VectorXd& x, const Eigen::VectorXd& direction, Eigen::VectorXd& bend) override;
  std::vector<int> linear_parameters() override;

 private:
  Parts parts_;
};

// Of criteria that are no sums of squares, with or without kinks.
class SumOfLosses : public Problem, public Kinks, public RowSlopes {
 public:
  explicit SumOfLosses(std::vector<std::unique_ptr<Problem>> parts) : parts_(std::move(parts)) {}

  int size() const override { return parts_[0].size(); }
  const Bounds& bounds() const override { return parts_[0].bounds(); }
  bool calls_user() const override { return parts_.calls_user(); }
  bool halts_midway() const override { return parts_.halts_midway(); }
  bool read(const Columns& columns) override { return parts_.read(columns); }
  void expect(const Eigen::VectorXd& typical) override { parts_.expect(typical); }
  std::unique_ptr<Problem> clone() const override;
  Kinks* kinks() override;
  RowSlopes* row_slopes() override { return this; }

  double value(const Eigen::VectorXd& x) override;
  Slope slope(const Eigen::VectorXd& x) override;
  Expansion expand(const Eigen::VectorXd& x) override;
  double value_unit(const Expansion& at) override;
  void smooth_by(double width) override;
  KinkSizes kink_sizes(const Eigen::VectorXd& x) override;
  KinkedExpansion expand_kinks(const Eigen::VectorXd& x, double width, int most) override;
  Eigen::MatrixXd expected_factor(const Eigen::VectorXd& x) override;
  Eigen::MatrixXd slopes_factor(const Eigen::VectorXd& x) override;
  bool spread_of_slopes() override;

 private:
  Parts parts_;
};

}  // namespace tundrel
