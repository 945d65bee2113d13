#include <csignal>

#include "bridge.h"

// What is printed for somebody who has stopped reading (`| head`) raises a signal, of which R makes an error: work that has files
// still to write goes on without. TRUE begins that, FALSE ends it.
// [[Rcpp::export(rng = false)]]
void core_ignore_closed_pipes(bool ignore) {
#ifdef SIGPIPE
  static void (*before)(int) = nullptr;
  if (ignore) before = std::signal(SIGPIPE, SIG_IGN);
  if (!ignore && before) std::signal(SIGPIPE, before);
#endif
}
