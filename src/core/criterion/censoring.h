// Readings of which only a limit is known.
#pragma once
#include <string>
#include <vector>

#include "../expression/graph.h"

namespace tundrel {

// How a row is known: exactly, or to lie below `high`, above `low`, or between the two.
enum class Known { exactly = 0, below = 1, above = 2, between = 3 };

struct Censoring {
  int known;       // node: the number of Known for each row
  int low, high;   // nodes of the limits; any number in rows that do not need them
  std::vector<Known> kinds;  // those other than `exactly` that occur
};

// The loss of rows some of which are censored; `exact` is that of the others.
int censored_loss(Graph& graph, const std::string& family, int exact, const Censoring& censoring, int fitted,
                  const std::vector<int>& others);

}  // namespace tundrel
