// What solvers share that ask for many values at once.
#pragma once
#include <limits>

#include "random.h"
#include "solver.h"

namespace tundrel {

// Stands for a value that is not finite.
inline constexpr double kWorst = std::numeric_limits<double>::max();

// How good a point is. Of points that miss conditions between parameters by more than is allowed for now, the one
// that misses less is better; those within compare by value (Deb, 2000, Computer Methods in Applied Mechanics and
// Engineering 186, 311-338; with an allowance that shrinks, Takahama and Sakai, 2006, IEEE CEC 1-8).
struct Merit {
  double value, miss;
  bool better_than(const Merit& other, double allowed) const {
    const double mine = miss <= allowed ? 0 : miss, theirs = other.miss <= allowed ? 0 : other.miss;
    return mine == theirs ? value < other.value : mine < theirs;
  }
};

// A machine that says which points it wants the values of, and goes on when it has them: from a problem, or from
// outside. Works in a cube of side one, the search box.
class PopulationSolver : public Solver {
 public:
  struct Common {
    double seed = 1;
  };

  explicit PopulationSolver(Common common);

  // The box has to be there; `x` is one of the first points asked for.
  void start(Problem& problem, const Eigen::VectorXd& x) override;
  // One round: all points asked for are evaluated, or as many as there is time for.
  void iterate(Problem& problem) override;
  bool is_local() const override { return false; }
  bool under_way() const override { return points_.cols() > 0; }
  const Status& status() const override { return status_; }
  const Eigen::MatrixXd* members() const override { return &shown_; }
  void visit(StateVisitor& visitor) final;

  // The points wanted next, a column each: the same until their values are recorded.
  const Eigen::MatrixXd& propose(Problem& problem);
  // TRUE when all values wanted are there and the round is over.
  bool record(Problem& problem, const Eigen::VectorXd& values);

 protected:
  virtual void begin(const Eigen::VectorXd& unit) = 0;
  // Points of the cube.
  virtual Eigen::MatrixXd draw_round(const Problem& problem) = 0;
  // Merits of the points asked for last. Sets the status' action, step_norm and, at the end, reason.
  virtual void judge_round(const Problem& problem, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) = 0;
  virtual void visit_more(StateVisitor& visitor) = 0;
  // TRUE where it goes on while values of some points are still to come: it then draws fewer, in view of those that are waited for.
  virtual bool takes_late() const { return false; }
  const Eigen::MatrixXd& waited_for() const { return waiting_; }
  // TRUE while a round is judged that was waited for alone, and not drawn by the state that judges it.
  bool of_waiting() const { return of_waiting_; }
  // What members() shows after a round; the points asked for unless said otherwise.
  virtual Eigen::MatrixXd population() const { return units_; }

  int size() const { return size_; }
  const Eigen::MatrixXd& units() const { return units_; }
  // TRUE while conditions may still be missed by more than in the end.
  bool lenient() const { return allowed_ > least_allowed_; }
  double allowed() const { return allowed_; }
  bool better(const Merit& a, const Merit& b) const { return a.better_than(b, allowed_); }
  // Places of merits, best first.
  std::vector<int> ranked(const std::vector<Merit>& merits) const;

  Status status_;
  Random random_;
  Eigen::VectorXd best_;  // of the cube

 private:
  void move_inside(Problem& problem);
  void keep_best(const std::vector<Merit>& merits);
  // The round is over: its values are there.
  void judge(Problem& problem);
  // A round of which only some values need come back.
  void iterate_late(Problem& problem);
  // What is still to come, is waited for.
  void take_waiting(Problem& problem);

  Common common_;
  int size_ = 0;
  Eigen::MatrixXd units_, points_, shown_;  // asked for, in the cube and in the problem's parameters
  Eigen::VectorXd values_;                  // found so far for these
  Eigen::MatrixXd waiting_;                 // points of the cube whose values are still to come
  bool of_waiting_ = false;
  double known_ = 0;                        // how many
  double allowed_ = -1;                     // how far conditions may be missed for now; below 0 before the first round
  double negligible_ = 0;                   // a miss that is as good as none
  double least_allowed_ = 0;                // in the end: nothing, but for equalities, which are never met exactly
};

}  // namespace tundrel
