#pragma once
#include <vector>

namespace tundrel {

// The measurements as the core sees them: columns of equal length, owned by someone else.
struct Columns {
  std::vector<const double*> data;
  long rows = 0;
};

}  // namespace tundrel
