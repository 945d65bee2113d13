// How far to go along a direction.
#pragma once
#include "../problem/problem.h"

namespace tundrel {

struct LineResult {
  bool found = false;
  double length = 0;   // in multiples of the direction
  Eigen::VectorXd x;
  Slope at;
};

// A point along `direction` at which the value has fallen by a share of what the slope promises and the
// slope has flattened to `flatness` of what it was (the strong conditions of Wolfe), by bracketing and
// cubic interpolation (Nocedal and Wright, Numerical Optimization, 2006, section 3.5). Lengths above `most`
// are not tried; points without finite value shorten the reach. `found` is FALSE where not even the value falls.
LineResult search_line(Problem& problem, const Eigen::VectorXd& x, const Slope& from, const Eigen::VectorXd& direction,
                       double first, double most, double flatness);

}  // namespace tundrel
