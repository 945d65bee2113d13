// What bytes of a table of text hold, looked at once.
#include <algorithm>
#include <cstring>
#include <vector>

#include "bridge.h"

namespace {

bool begins(const Rbyte* at, const Rbyte* end, const std::string& with) {
  return static_cast<std::size_t>(end - at) >= with.size() && std::memcmp(at, with.data(), with.size()) == 0;
}

// Lines that begin with one mark, but not with some others that begin alike; a mark of the encoding may stand before the first of them.
struct Comments {
  std::string mark;
  std::vector<std::string> others;

  bool is_one(const Rbyte* line, const Rbyte* end) const {
    if (mark.empty()) return false;
    if (begins(line, end, "\xef\xbb\xbf")) line += 3;
    return begins(line, end, mark) && std::none_of(others.begin(), others.end(), [&](const std::string& other) { return begins(line, end, other); });
  }
};

// Calls use(begin, end) for each line with its line feed; the last may lack it.
template <class Use>
void for_each_line(const Rcpp::RawVector& bytes, const Use& use) {
  const Rbyte* const end = bytes.begin() + bytes.size();
  for (const Rbyte* line = bytes.begin(); line < end;) {
    const Rbyte* stop = static_cast<const Rbyte*>(std::memchr(line, '\n', end - line));
    stop = stop ? stop + 1 : end;
    use(line, stop);
    line = stop;
  }
}

}  // namespace

// Of some bytes: is there a zero, a control character (but tabs, line ends and the mark of an old text's end), a byte beyond ASCII, a line
// feed, a carriage return, a comment; the length of the longest line; where the last line ends.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_look_at_bytes(const Rcpp::RawVector& bytes, const std::string& comment, const std::vector<std::string>& no_comments) {
  const Comments marked{comment, no_comments};
  bool seen[256] = {}, comments = false;
  std::ptrdiff_t longest = 0, whole = 0;
  for_each_line(bytes, [&](const Rbyte* line, const Rbyte* end) {
    comments = comments || marked.is_one(line, end);
    longest = std::max(longest, end - line);
    if (end[-1] == '\n') whole = end - bytes.begin();
    for (; line < end; ++line) seen[*line] = true;
  });
  const auto any = [&](int from, int to) { return std::any_of(seen + from, seen + to + 1, [](bool one) { return one; }); };
  return Rcpp::List::create(Rcpp::_["zeros"] = seen[0], Rcpp::_["controls"] = any(1, 8) || any(11, 12) || any(14, 25) || any(27, 31),
                            Rcpp::_["beyond_ascii"] = any(128, 255), Rcpp::_["feeds"] = seen['\n'], Rcpp::_["returns"] = seen['\r'],
                            Rcpp::_["comments"] = comments, Rcpp::_["longest"] = static_cast<double>(longest), Rcpp::_["whole"] = static_cast<double>(whole));
}

// Whole lines without the comments among them.
// [[Rcpp::export(rng = false)]]
Rcpp::RawVector core_without_comments(const Rcpp::RawVector& bytes, const std::string& comment, const std::vector<std::string>& no_comments) {
  const Comments marked{comment, no_comments};
  std::vector<Rbyte> kept;
  kept.reserve(bytes.size());
  for_each_line(bytes, [&](const Rbyte* line, const Rbyte* end) {
    if (!marked.is_one(line, end)) kept.insert(kept.end(), line, end);
  });
  return Rcpp::RawVector(kept.begin(), kept.end());
}
