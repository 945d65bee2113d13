#pragma once
#include <cstddef>
#include <vector>

namespace tundrel {

// The measurements as the core sees them: columns of equal length, owned by someone else.
struct Columns {
  std::vector<const double*> data;
  long rows = 0;

  // Becomes the rows of `all` from `first` up to `end`.
  void show(const Columns& all, long first, long end) {
    data.resize(all.data.size());
    for (std::size_t c = 0; c < data.size(); ++c) data[c] = all.data[c] + first;
    rows = end - first;
  }
};

}  // namespace tundrel
