// Descent along the slope at a fixed rate, with momentum or with steps that adapt.
#pragma once
#include <cstdint>
#include "descent.h"

namespace tundrel {

// Plain and accelerated gradient descent (Polyak, 1964), and Adam (Kingma and Ba, 2015). The rate stands before
// the gradient as it is; or, scaled, parameters are in their sizes, and the value in what it falls by at first
// along a step of one size, so that the same rate serves problems of any units. No line is searched: the rate is
// the user's. Steps past a bound end there.
class GradientDescent : public Descent {
 public:
  struct Settings {
    double rate = 0.1;
    bool scaled = true;
    double momentum = 0;       // share of the last step that is kept
    bool adaptive = false;     // Adam: steps divided by the root mean square of recent slopes
    double memory = 0.999;     // Adam: share of older squares that is kept
    double tolerance = 1e-10;
  };

  explicit GradientDescent(Settings settings) : Descent(settings.tolerance), settings_(settings) {}

  void start(Problem& problem, const Eigen::VectorXd& x) override;
  void iterate(Problem& problem) override;
  void visit(StateVisitor& visitor) override;

 private:
  Eigen::VectorXd next_step(const Eigen::VectorXd& slope);
  // Notices a walk that grows, or hardly moves, and what rate would serve.
  void watch(Problem& problem, const Eigen::VectorXd& step, const Eigen::VectorXd& change);
  // Units of the parameters in which steps are taken.
  Eigen::VectorXd units() const;
  // The largest of a rate and its halves that comes below `value` from where the walk began; 0 where none does.
  double rate_that_serves(Problem& problem, double rate, double value) const;

  Settings settings_;
  Eigen::VectorXd velocity_, squares_, began_;
  bool tries_ = false;  // a walk that another one tries a rate with gives no advice itself
  double unit_ = 1, best_ = 0, bend_ = 0, past_value_ = 0, past_slope_ = 0;
  std::int64_t steps_ = 0, rising_ = 0;
};

}  // namespace tundrel
