// Every point of a grid over the search box.
#pragma once
#include "population.h"

namespace tundrel {

class GridScan : public PopulationSolver {
 public:
  struct Settings {
    int points = 0;  // along each parameter
  };

  GridScan(Settings settings, Common common) : PopulationSolver(common), settings_(settings) {}

 protected:
  void begin(const Eigen::VectorXd&) override { done_ = 0; }
  Eigen::MatrixXd draw_round(const Problem& problem) override;
  void judge_round(const Problem& problem, const Eigen::MatrixXd& units, const std::vector<Merit>& merits) override;
  void visit_more(StateVisitor& visitor) override { visitor.within("done", done_, 0, total()); }

 private:
  double total() const;

  Settings settings_;
  double done_ = 0;
};

}  // namespace tundrel
