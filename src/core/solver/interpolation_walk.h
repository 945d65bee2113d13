// A walk downhill without derivatives: each call is where a quadratic through values nearby is lowest, or where it would be told better.
#pragma once
#include <functional>

#include "../step/quadratic_model.h"
#include "solver.h"

namespace tundrel {

// Conn, Scheinberg and Vicente (2009), Introduction to Derivative-Free Optimization, chapters 10 and 11: a trust region around the best point,
// models from linear to quadratic as values come in, and calls for the sake of the model where points lie too much in a plane. Says which point it
// wants the value of, and goes on when it has it.
class InterpolationWalk {
 public:
  // Where conditions between parameters are to hold: how a model is minimised under them, between limits of the step, and how a point is moved
  // inside them. Set before each call of ask(), and not stored.
  std::function<Eigen::VectorXd(const QuadraticModel& model, const Eigen::VectorXd& low, const Eigen::VectorXd& high)> lowest;
  std::function<bool(Eigen::VectorXd& x)> settle;

  // In coordinates in which all parameters are of a size, between limits. Ends where a model that has been right expects less than `tolerance` of what
  // values nearby differ by, or with the radius at its root.
  void begin(const Eigen::VectorXd& lower, const Eigen::VectorXd& upper, const Eigen::VectorXd& x, double value, double radius, double tolerance);
  // A value from before, which is as good as one of its own.
  void know(const Eigen::VectorXd& x, double value);
  // The point wanted next; the same until its value is told.
  const Eigen::VectorXd& ask();
  // Not finite where the call failed.
  void tell(double value);
  bool is_over() const { return over_; }
  const Eigen::VectorXd& best() const { return best_; }
  double best_value() const { return best_value_; }
  double radius() const { return radius_; }
  void visit(StateVisitor& visitor);

 private:
  // Places of points that the model is made from: near ones that tell all directions, then others, nearest first. `poor` is a direction that none
  // tells, empty where there is none.
  std::vector<int> chosen(Eigen::VectorXd& poor) const;
  void plan();
  void shrink();
  bool ask_along(Eigen::VectorXd direction);

  Eigen::VectorXd lower_, upper_, best_, wanted_;
  double best_value_ = 0, radius_ = 0, least_ = 0, tolerance_ = 0, promised_ = 0;
  Eigen::MatrixXd points_, hessian_;
  Eigen::VectorXd values_;
  bool for_model_ = false, over_ = false;
  bool right_ = false;  // the model of the last step has been right about it
  int failed_ = 0;
};

}  // namespace tundrel
