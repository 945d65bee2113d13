// The finite box in which global solvers look, as a cube of side one.
#pragma once
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <vector>

namespace tundrel {

struct SearchBox {
  Eigen::VectorXd lower, upper;
  std::vector<bool> log;  // looked through on a logarithmic scale? Ranges about zero on one that is logarithmic to both sides
  Eigen::VectorXd near;   // of these: where the scale begins to be logarithmic

  int size() const { return static_cast<int>(lower.size()); }

  Eigen::VectorXd from_unit(const Eigen::VectorXd& u) const {
    Eigen::VectorXd x(u.size());
    for (int i = 0; i < x.size(); ++i) {
      const double low = scaled(i, lower[i]), high = scaled(i, upper[i]);
      x[i] = std::clamp(unscaled(i, low + u[i] * (high - low)), lower[i], upper[i]);
    }
    return x;
  }
  // Points outside are taken to the nearest inside.
  Eigen::VectorXd to_unit(const Eigen::VectorXd& x) const {
    Eigen::VectorXd u(x.size());
    for (int i = 0; i < x.size(); ++i) {
      const double low = scaled(i, lower[i]), high = scaled(i, upper[i]);
      u[i] = (scaled(i, std::clamp(x[i], lower[i], upper[i])) - low) / (high - low);
    }
    return u;
  }
  Eigen::MatrixXd from_units(const Eigen::MatrixXd& units) const {
    Eigen::MatrixXd points(units.rows(), units.cols());
    for (int k = 0; k < units.cols(); ++k) points.col(k) = from_unit(units.col(k));
    return points;
  }

 private:
  bool two_sided(int i) const { return near.size() > i && near[i] > 0; }
  double scaled(int i, double x) const { return !log[i] ? x : two_sided(i) ? std::asinh(x / near[i]) : std::log(x); }
  double unscaled(int i, double s) const { return !log[i] ? s : two_sided(i) ? near[i] * std::sinh(s) : std::exp(s); }
};

}  // namespace tundrel
