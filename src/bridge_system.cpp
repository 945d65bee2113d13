// What the system knows or does and R does not say.
#include <csignal>
#include <filesystem>
#include <system_error>

#include "bridge.h"

// FALSE of what is read without end or waits for somebody to write: a pipe, a device.
// [[Rcpp::export(rng = false)]]
bool core_is_plain_file(const std::string& path) {
  std::error_code ignored;
  return std::filesystem::is_regular_file(std::filesystem::u8path(path), ignored);
}

// What is printed for somebody who has stopped reading (`| head`) raises a signal, of which R makes an error: work that has files
// still to write goes on without. TRUE begins that, FALSE ends it.
// [[Rcpp::export(rng = false)]]
void core_ignore_closed_pipes(bool ignore) {
#ifdef SIGPIPE
  // commands may be called within commands
  static int under_way = 0;
  static void (*before)(int) = SIG_DFL;
  if (ignore && under_way++ == 0) before = std::signal(SIGPIPE, SIG_IGN);
  if (!ignore && --under_way == 0) std::signal(SIGPIPE, before);
#endif
}
