#pragma once
#include <cstddef>
#include <cstdint>
#include <functional>
#include <vector>

namespace tundrel {

// The measurements as the core sees them: columns of equal length, owned by someone else.
struct Columns {
  std::vector<const double*> data;
  std::int64_t rows = 0;
  // Told of rows, from the first up to an end, that have been gone through: where columns lie in files, these rows need no memory
  // until they are read again. Not set where columns lie in memory.
  std::function<void(std::int64_t first, std::int64_t end)> passed = {};

  // Becomes the rows of `all` from `first` up to `end`.
  void show(const Columns& all, std::int64_t first, std::int64_t end) {
    data.resize(all.data.size());
    for (std::size_t c = 0; c < data.size(); ++c) data[c] = all.data[c] + first;
    rows = end - first;
  }
};

}  // namespace tundrel
