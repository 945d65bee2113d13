// Random moves, downhill always and uphill ever more rarely.
#pragma once
#include "population.h"

namespace tundrel {

// Kirkpatrick, Gelatt and Vecchi (1983, Science 220, 671-680) for continuous parameters, after Corana, Marchesi,
// Martini and Ridella (1987, ACM Transactions on Mathematical Software 13, 262-280): moves along one coordinate at a
// time, their lengths kept so that about half are accepted, a temperature that falls by steps. Several chains walk side
// by side; at each step of the temperature the worst goes on from the best point so far.
class Annealing : public PopulationSolver {
 public:
  struct Settings {
    double cooling = 0.85;  // by which the temperature is multiplied
    int chains = 8;
    int sweeps = 20;        // over all coordinates, at each temperature
  };

  Annealing(Settings settings, Common common) : PopulationSolver(common), settings_(settings) {}

 protected:
  void begin(const Eigen::VectorXd& unit) override;
  Eigen::MatrixXd draw_round(const Problem& problem) override;
  void judge_round(const Problem& problem, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) override;
  void visit_more(StateVisitor& visitor) override;
  Eigen::MatrixXd population() const override { return chains_; }

 private:
  bool accepts(const Merit& from, const Merit& to);
  void adapt_lengths();
  void cool();

  Settings settings_;
  Eigen::MatrixXd chains_;
  Eigen::VectorXd values_, misses_;
  Eigen::VectorXd lengths_, accepted_, tried_;  // of moves along each coordinate
  Eigen::VectorXd recent_;                      // best values at the last temperatures
  double temperature_ = -1, moves_ = 0;
  int coordinate_ = 0;
  bool first_round_ = true;
};

}  // namespace tundrel
