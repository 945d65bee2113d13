// A file of numbers that is read as if it lay in memory, piece by piece as it is gone through.
#ifndef TUNDREL_MAPPED_FILE_H
#define TUNDREL_MAPPED_FILE_H
#include <boost/interprocess/mapped_region.hpp>
#include <string>

namespace tundrel {

class MappedFile {
 public:
  // Of `length` numbers of `width` bytes each; throws where the file is not there or not as long.
  MappedFile(const std::string& path, std::size_t length, int width);

  void* numbers() const { return region_.get_address(); }
  std::size_t length() const { return length_; }
  // For those who may write: what they do is seen by this process alone, and must stay in its memory. Many ask so and only read.
  void* may_be_written() {
    open_to_writing_ = true;
    return numbers();
  }
  // Nobody writes any more: is what lies in memory what the file holds?
  void look_for_changes();
  // Numbers from the first up to an end need no memory until they are read again, unless somebody may have changed them.
  void let_go(std::size_t first, std::size_t end) const;

 private:
  void drop(std::size_t first, std::size_t end) const;

  boost::interprocess::mapped_region region_;
  std::string path_;
  std::size_t length_;
  int width_;
  bool open_to_writing_ = false;
};

}  // namespace tundrel
#endif
