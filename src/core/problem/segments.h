// Rows split into segments for several threads, in a way that does not depend on their number.
#pragma once
#include <algorithm>
#include <cstdint>

#include "../expression/kernel.h"

namespace tundrel {

struct Segments {
  std::int64_t rows;
  int count;  // depends on rows only, so that sums over segments always have the same order

  explicit Segments(std::int64_t rows);
  std::int64_t first(int segment) const { return blocks_before(segment); }
  std::int64_t end(int segment) const { return blocks_before(segment + 1); }

  // Calls use(first row, number of rows) for each block of a segment.
  template <class Use>
  void for_each_block(int segment, const Use& use) const {
    const std::int64_t last = end(segment);
    for (std::int64_t row = first(segment); row < last; row += kBlockRows) use(row, static_cast<int>(std::min<std::int64_t>(kBlockRows, last - row)));
  }

 private:
  std::int64_t blocks_before(int segment) const;
};

}  // namespace tundrel
