#include "mapped_file.h"

#include <boost/interprocess/file_mapping.hpp>
#include <algorithm>
#include <cstdint>
#include <cstring>
#include <fstream>
#include <stdexcept>
#include <vector>

#if defined(__unix__) || defined(__APPLE__)
#include <sys/mman.h>
#endif

namespace tundrel {

namespace ipc = boost::interprocess;

MappedFile::MappedFile(const std::string& path, std::size_t length, int width) : path_(path), length_(length), width_(width) {
  const ipc::file_mapping file(path.c_str(), ipc::read_only);
  region_ = ipc::mapped_region(file, ipc::copy_on_write);
  if (region_.get_size() != length * width) throw std::runtime_error("it is not as long as its table");
}

void MappedFile::look_for_changes() {
  if (!open_to_writing_) return;
  std::ifstream file(path_, std::ios::binary);
  std::vector<char> piece(1 << 20);
  const std::size_t all = length_ * width_;
  for (std::size_t at = 0; at < all; at += piece.size()) {
    const std::size_t n = std::min(piece.size(), all - at);
    if (!file.read(piece.data(), n) || std::memcmp(piece.data(), static_cast<const char*>(numbers()) + at, n) != 0) return;
    drop(at / width_, (at + n) / width_);
  }
  open_to_writing_ = false;
}

void MappedFile::let_go(std::size_t first, std::size_t end) const {
  if (!open_to_writing_) drop(first, end);
}

void MappedFile::drop(std::size_t first, std::size_t end) const {
#ifdef MADV_DONTNEED
  // Whole pages only: those at the ends hold neighbours.
  const std::uintptr_t page = ipc::mapped_region::get_page_size(), begin = reinterpret_cast<std::uintptr_t>(numbers());
  const std::uintptr_t from = (begin + first * width_ + page - 1) / page * page, to = (begin + end * width_) / page * page;
  if (to > from) madvise(reinterpret_cast<void*>(from), to - from, MADV_DONTNEED);
#else
  (void)first, (void)end;
#endif
}

}  // namespace tundrel
