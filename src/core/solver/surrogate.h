// Search by a model of the criterion that is learnt from all values so far, for criteria whose values are costly.
#pragma once
#include "improvement.h"
#include "value_scale.h"
#include "interpolation_walk.h"
#include "population.h"
#include "restarts.h"

namespace tundrel {

// After some points that fill the box each further one is where a Gaussian process, given all values so far, expects the greatest improvement
// (Jones, Schonlau and Welch 1998, Journal of Global Optimization 13, 455-492). Calls that fail are learnt as a probability of success. Points
// of one round are chosen one after the other, as if values were there as expected (Ginsbourger, Le Riche and Carraro 2010, Computational
// Intelligence in Expensive Optimization Problems, 131-162). In many coordinates points stay within a region around the best, which grows with
// success and shrinks without (Eriksson and others 2019, Advances in Neural Information Processing Systems 32). Where no more improvement is expected quadratic
// models walk to the bottom of the valley, and the search begins anew with other points, until as many as asked for have come to the same. Of a
// sum of squares whose residuals are known these are modelled, and not their sum: they bend less.
class SurrogateSearch : public PopulationSolver {
 public:
  struct Settings {
    int first = 0;       // points that fill the box; 0: by the number of coordinates
    int batch = 1;       // points of a round
    double noise = -1;   // standard deviation of values; 0 for none, below zero: to be found
    double improvement = 1e-4;  // a search ends where no more is expected, as a share of what the middle value is above the best
    int agreeing = 2;    // searches that have to come to the same point
  };

  SurrogateSearch(Settings settings, Common common) : PopulationSolver(common), settings_(settings) {}
  bool expects_best() const override { return is_noisy(); }
  // What a model of all values so far expects at points of the cube: a row each for the middle value and for the ends of an interval
  // that holds 95 in 100; not numbers where there is no model yet.
  Eigen::MatrixXd expected(const Problem& problem, const Eigen::MatrixXd& units) const;

 protected:
  void begin(const Eigen::VectorXd& unit) override;
  Eigen::MatrixXd draw_round(const Problem& problem) override;
  void judge_round(const Problem& problem, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) override;
  // Not while the box is filled, where each value is needed.
  bool takes_late() const override { return settings_.batch > 1 && static_cast<double>(seen_.cols()) > from_; }
  void visit_more(StateVisitor& visitor) override;

 private:
  Eigen::MatrixXd first_round(const Problem& problem);
  // What is known from before, in place of points that fill the box.
  void take_known(const Problem& problem);
  // From the best point of a search to the bottom of its valley.
  void begin_closing();
  Eigen::VectorXd beside(const Eigen::VectorXd& unit);
  // What a search has come to; begins another, or ends.
  void search_over();
  // A point at random, inside the conditions.
  Eigen::VectorXd anywhere(const Problem& problem);
  // Moves a point of the cube inside the conditions between parameters; FALSE where that fails.
  bool settle(const Problem& problem, Eigen::VectorXd& unit) const;
  // Values that were found and the points of these; the model of them.
  void sort_out(const Problem& problem);
  // Of a sum of squares what its residuals differ in, as few numbers as tell it.
  void take_residuals(const Problem& problem);
  bool by_residual() const { return residuals_.cols() > 0; }
  void learn();
  GaussianProcess::Trend trend() const;
  void build();
  bool is_noisy() const;
  // The point where most improvement is expected by a model of these points; minus its logarithm, where there is any.
  Eigen::VectorXd best_place(const Problem& problem, const GaussianProcess& process, double& expected);
  bool is_new(const Eigen::VectorXd& unit, const Eigen::MatrixXd& others) const;
  // What the model expects at best among points that were called, which noise does not flatter.
  int expected_best(double& value) const;

  Settings settings_;
  Eigen::MatrixXd seen_;      // all points, a column each
  Eigen::VectorXd found_;     // their values; kWorst where a call failed
  GaussianProcess::Lengths lengths_;
  double bend_ = 0, learnt_ = 0;  // learnt when there were so many values
  double side_ = 0;           // of the region; 0: everywhere
  int successes_ = 0, failures_ = 0;
  int idle_ = 0;              // rounds in a row in which no improvement was expected
  double from_ = 0;           // the points of this search begin there
  bool closing_ = false;
  InterpolationWalk walk_;
  Restarts restarts_;

  // made from these
  bool ready_ = false;
  Eigen::MatrixXd good_;
  Eigen::VectorXd values_;
  Eigen::MatrixXd residuals_;  // of a sum of squares: its main parts, a row a point; without columns where there are none
  ValueScale scale_;
  GaussianProcess process_, success_;
  bool some_fail_ = false;
};

}  // namespace tundrel
