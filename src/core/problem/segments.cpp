#include "segments.h"

namespace tundrel {
namespace {

// Enough to share out evenly between any sensible number of threads, few enough to add up quickly.
constexpr long kMostSegments = 64;
// Below this a segment is not worth a thread.
constexpr long kLeastBlocks = 8;

long blocks_of(long rows) { return (rows + kBlockRows - 1) / kBlockRows; }

}  // namespace

Segments::Segments(long rows)
    : rows(rows),
      count(static_cast<int>(std::clamp(blocks_of(rows) / kLeastBlocks, 1L, kMostSegments))) {}

long Segments::blocks_before(int segment) const {
  if (segment == 0) return 0;
  if (segment == count) return rows;
  return std::min(rows, blocks_of(rows) * segment / count * kBlockRows);
}

}  // namespace tundrel
