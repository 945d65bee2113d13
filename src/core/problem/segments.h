// Rows split into segments for several threads, in a way that does not depend on their number.
#pragma once
#include <algorithm>

#include "../expression/kernel.h"

namespace tundrel {

struct Segments {
  long rows;
  int count;  // depends on rows only, so that sums over segments always have the same order

  explicit Segments(long rows);
  long first(int segment) const { return blocks_before(segment); }
  long end(int segment) const { return blocks_before(segment + 1); }

  // Calls use(first row, number of rows) for each block of a segment.
  template <class Use>
  void for_each_block(int segment, const Use& use) const {
    const long last = end(segment);
    for (long row = first(segment); row < last; row += kBlockRows) use(row, static_cast<int>(std::min<long>(kBlockRows, last - row)));
  }

 private:
  long blocks_before(int segment) const;
};

}  // namespace tundrel
