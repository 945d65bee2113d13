// Whole readings at candidates, best by exchange.
#pragma once
#include <Eigen/Core>

#include "worth.h"

namespace tundrel {

struct WholeReadings {
  Eigen::VectorXi readings;  // at each candidate
  double value;
};

// Spends at most the `budget`, with at most `most` readings at a candidate. `shares`: amounts by which readings were best shared out, from which
// one of the tries begins; the others begin by chance, from `seed`.
WholeReadings exchanged(const Aims& aims, const Eigen::VectorXd& costs, double budget, const Eigen::VectorXi& most, const Eigen::VectorXd& shares, int tries, unsigned seed);

}  // namespace tundrel
