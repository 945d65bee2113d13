// Differential evolution whose settings adapt to what has succeeded.
#pragma once
#include "population.h"
#include "restarts.h"

namespace tundrel {

// Storn and Price (1997, Journal of Global Optimization 11, 341-359), with the success-history adaptation of Tanabe and
// Fukunaga (2013, IEEE CEC 71-78): mutants step towards one of the best and along a difference, with scale and
// crossover drawn around means that have served well. A population that has gathered at a point begins anew, until
// as many searches as asked for have come to the same best point.
class DifferentialEvolution : public PopulationSolver {
 public:
  struct Settings {
    int population = 0;  // 0: by the number of parameters
    int agreeing = 2;    // searches that have to come to the same point
  };

  DifferentialEvolution(Settings settings, Common common) : PopulationSolver(common), settings_(settings) {}

 protected:
  void begin(const Eigen::VectorXd& unit) override;
  Eigen::MatrixXd draw_round(const Problem& problem) override;
  void judge_round(const Problem& problem, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) override;
  void visit_more(StateVisitor& visitor) override;
  Eigen::MatrixXd population() const override { return members_; }

 private:
  Merit merit(int k) const { return {values_[k], misses_[k]}; }
  void put(int k, const Eigen::VectorXd& unit, const Merit& merit);
  void remember();
  bool gathered() const;
  void renew();

  Settings settings_;
  Eigen::MatrixXd members_, archive_;
  Eigen::VectorXd values_, misses_;
  Eigen::VectorXd scale_means_, crossover_means_;  // memory of what has served
  Eigen::VectorXd scales_, crossovers_, gains_;    // of this round; a gain is 0 where the trial failed
  int slot_ = 0;
  bool first_round_ = true, first_search_ = true;
  bool closing_ = false;  // searches agree: this one is gathered further
  Restarts restarts_;
};

}  // namespace tundrel
