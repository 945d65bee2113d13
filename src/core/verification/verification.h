// An answer checked afresh: is it an optimum, whatever the solver says?
#pragma once
#include <vector>

#include "../problem/problem.h"
#include "stop_reason.h"

namespace tundrel {

struct Verification {
  bool converged = false;
  StopReason reason = StopReason::none;  // stalled or diverged, where the claim does not hold
  double gradient_norm = 0;
  int n_alive = 0;             // parameters that are not at a bound and have an effect
  int rank = 0;                // of the Jacobian in these
  std::vector<int> dead;       // parameters that the criterion does not feel here
  std::vector<int> runaway;    // parameters on their way towards infinity
  bool usable = false;         // FALSE where the criterion is not finite
  double value = 0;
  Eigen::VectorXd slope;       // gradient of the value
  Eigen::VectorXd multipliers; // of the conditions between parameters: the value's fall per unit of loosening
  Eigen::VectorXd bound_multipliers; // the same of the bound of each parameter; 0 where it rests on none
  Eigen::VectorXd way_down;    // at a saddle or maximum, a direction in which the value curves down; else empty
  std::vector<int> creased;    // parameters along which the value has a kink and rises on both sides
  std::vector<int> kinked;     // of values that nothing but a call tells: parameters along which there is a kink
  Eigen::MatrixXd factor;      // its square is the information about the parameters, but for a scale; empty for an arrow, which has
  Eigen::VectorXd errors;      // ... standard errors per unit of residual standard deviation (see ArrowStep)
};

// The bound on the scaled projected gradient that an optimum has to meet.
constexpr double kOptimalGradient = 1e-6;

Verification verify(Problem& problem, const Eigen::VectorXd& x);

// One for each form of criterion; that for smooth ones also serves sums of squares under conditions between parameters.
Verification verify_squares(Problem& problem, const Eigen::VectorXd& x);
Verification verify_smooth(Problem& problem, const Eigen::VectorXd& x);
Verification verify_kinked(Problem& problem, const Eigen::VectorXd& x);
// Of sums of squares with the shape of an arrow, in time and memory that grow in proportion to the groups.
Verification verify_arrow(Problem& problem, const Eigen::VectorXd& x);

// From a point at which the value curves down along a direction: a lower one. FALSE where none is found.
bool leave_along(Problem& problem, const Eigen::VectorXd& x, double value, const Eigen::VectorXd& direction, Eigen::VectorXd& to);

// From a point at which parameters are on their way towards infinity: a lower one at which one of them has the other sign, as the
// reciprocal of a parameter that passes through zero. FALSE where none is found.
bool leave_over_infinity(Problem& problem, const Eigen::VectorXd& x, double value, const std::vector<int>& runaway, Eigen::VectorXd& to);

// From a point at which a walk hardly moves: with a parameter at its limit further out, and the others settled. FALSE where the value is higher there.
bool leave_to_limit(Problem& problem, const Eigen::VectorXd& x, double value, Eigen::VectorXd& to);

// Parameters on their way to an open limit whose value goes on falling for ever, as that of a spread does under an exact fit: each
// time the distance shrinks by a share, the value falls by about the same, which is more than this share of its unit.
constexpr double kFallsForEver = 1e-4;
bool falls_into_open_limit(const Bounds& bounds, const Eigen::VectorXd& x, const Eigen::VectorXd& slope, double unit, std::vector<int>& runaway);

// The slope at each parameter that its bound holds back; else 0.
Eigen::VectorXd bound_multipliers(const Bounds& bounds, const Eigen::VectorXd& x, const Eigen::VectorXd& slope);

// A parameter is dead where moving it by its whole size changes the fit by less than this share of what
// is left over: no data could be said to speak of it.
constexpr double kDeadShare = 1e-8;
// The same where a sum of squares is judged, by the length of its residual and their scale: an effect of less than a share of the readings
// cannot be told from rounding.
double least_felt(Problem& problem, double residual, double scale);

// The parameters whose undamped step at an optimum would still move them; those far out on their way
// further out are running away. Returns whether all have settled.
bool all_settled(const Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& alive,
                 const Eigen::VectorXd& step, std::vector<int>& runaway);

// Sets converged and, where it is not, the reason.
void conclude(const Problem& problem, const Eigen::VectorXd& x, const std::vector<int>& alive, bool optimal,
              Verification& result);

}  // namespace tundrel
