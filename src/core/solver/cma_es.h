// A normal distribution of points that adapts to the shape of the criterion.
#pragma once
#include "population.h"
#include "restarts.h"

namespace tundrel {

// Covariance matrix adaptation (Hansen and Ostermeier, 2001, Evolutionary Computation 9, 159-195; Hansen, 2016,
// arXiv:1604.00772, for its constants): weighted recombination, rank-one and rank-mu updates, control of the path's
// length. Points outside the box are drawn again, then taken to its sides. A search that has ended by one of the usual
// tests begins anew with twice the population (Auger and Hansen, 2005, IEEE CEC 1769-1776), until as many as asked for
// have come to the same best point.
class CovarianceAdaptation : public PopulationSolver {
 public:
  struct Settings {
    int population = 0;     // of the first search; 0: by the number of parameters
    double spread = 0.3;    // first standard deviation, as a share of the box
    int agreeing = 4;       // searches that have to come to the same point
    int restarts = 9;       // at most
  };

  CovarianceAdaptation(Settings settings, Common common) : PopulationSolver(common), settings_(settings) {}

  Eigen::MatrixXd spread() const override;

 protected:
  void begin(const Eigen::VectorXd& unit) override;
  Eigen::MatrixXd draw_round(const Problem& problem) override;
  void judge_round(const Problem& problem, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) override;
  void visit_more(StateVisitor& visitor) override;

 private:
  void learn(const Eigen::MatrixXd& units, const std::vector<int>& order);
  void decompose();
  // Why this search is over, in words; nullptr while it is not.
  const char* over(const std::vector<Merit>& merits, const std::vector<int>& order);
  void renew();
  void set_weights();

  Settings settings_;
  Eigen::VectorXd mean_, path_c_, path_s_, widths_;
  Eigen::MatrixXd covariance_, axes_;
  double step_ = 0, first_step_ = 0, round_ = 0;
  int population_ = 0;
  Eigen::VectorXd history_;       // best values of the last rounds, newest first
  Eigen::VectorXd search_best_;   // of this search
  double search_value_ = 0, search_miss_ = 0;
  bool first_search_ = true;
  Restarts restarts_;

  // All from the population and the number of parameters.
  Eigen::VectorXd weights_;
  double mu_eff_ = 0, c_c_ = 0, c_s_ = 0, c_1_ = 0, c_mu_ = 0, damping_ = 0, expected_ = 0;
};

}  // namespace tundrel
