// The finite box in which global solvers look, as a cube of side one.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <vector>

namespace tundrel {

struct SearchBox {
  Eigen::VectorXd lower, upper;
  std::vector<bool> log;  // looked through on a logarithmic scale?

  int size() const { return static_cast<int>(lower.size()); }

  Eigen::VectorXd from_unit(const Eigen::VectorXd& u) const {
    Eigen::VectorXd x(u.size());
    for (int i = 0; i < x.size(); ++i) {
      const double to = log[i] ? lower[i] * std::exp(u[i] * std::log(upper[i] / lower[i])) : lower[i] + u[i] * (upper[i] - lower[i]);
      x[i] = std::clamp(to, lower[i], upper[i]);
    }
    return x;
  }
  // Points outside are taken to the nearest inside.
  Eigen::VectorXd to_unit(const Eigen::VectorXd& x) const {
    Eigen::VectorXd u(x.size());
    for (int i = 0; i < x.size(); ++i) {
      const double inside = std::clamp(x[i], lower[i], upper[i]);
      u[i] = log[i] ? std::log(inside / lower[i]) / std::log(upper[i] / lower[i]) : (inside - lower[i]) / (upper[i] - lower[i]);
    }
    return u;
  }
  Eigen::MatrixXd from_units(const Eigen::MatrixXd& units) const {
    Eigen::MatrixXd points(units.rows(), units.cols());
    for (int k = 0; k < units.cols(); ++k) points.col(k) = from_unit(units.col(k));
    return points;
  }
};

}  // namespace tundrel
