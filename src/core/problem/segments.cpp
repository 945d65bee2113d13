#include "segments.h"

#include <cstdint>

namespace tundrel {
namespace {

// Enough to share out evenly between any sensible number of threads, few enough to add up quickly.
constexpr std::int64_t kMostSegments = 64;
// Below this a segment is not worth a thread.
constexpr std::int64_t kLeastBlocks = 8;

std::int64_t blocks_of(std::int64_t rows) { return (rows + kBlockRows - 1) / kBlockRows; }

}  // namespace

Segments::Segments(std::int64_t rows)
    : rows(rows),
      count(static_cast<int>(std::clamp(blocks_of(rows) / kLeastBlocks, 1L, kMostSegments))) {}

std::int64_t Segments::blocks_before(int segment) const {
  if (segment == 0) return 0;
  if (segment == count) return rows;
  return std::min(rows, blocks_of(rows) * segment / count * kBlockRows);
}

}  // namespace tundrel
