// What one row adds to a criterion that is made small.
#pragma once
#include <vector>

namespace tundrel {

// A row's share of the expected information: (weight d quantity)(weight d quantity)'.
struct InformationTerm {
  int quantity, weight;
};

// All members are nodes of one graph; -1 stands for none.
struct RowLoss {
  int smooth = -1;
  int kink = -1;       // added as its absolute value, which has no derivative at zero
  int reference = -1;  // the kink where the model gives zero: what its rounding is measured against
  // Where curvature does not tell the information (kinks have none), what does.
  std::vector<InformationTerm> expected;
  // TRUE where the loss is no likelihood: uncertainty then needs the spread of the rows' slopes, too.
  bool spread_of_slopes = false;
  // TRUE where the scale of the noise is not stated, so that a row's own share of the value tells what matters in it.
  bool scale_unknown = false;
  // FALSE where rows are no readings, and the value says nothing of noise.
  bool noise = true;
};

}  // namespace tundrel
