#include "threads.h"

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace tundrel {

void share_out(int jobs, int threads, const std::function<void(int thread, int job)>& work) {
  std::atomic<int> next{0};
  std::mutex guard;
  std::exception_ptr thrown;
  const auto serve = [&](int thread) {
    try {
      for (int job = next++; job < jobs; job = next++) work(thread, job);
    } catch (...) {
      next = jobs;
      const std::lock_guard<std::mutex> lock(guard);
      if (!thrown) thrown = std::current_exception();
    }
  };
  std::vector<std::thread> helpers;
  for (int t = 1; t < std::min(threads, jobs); ++t) helpers.emplace_back(serve, t);
  serve(0);
  for (std::thread& helper : helpers) helper.join();
  if (thrown) std::rethrow_exception(thrown);
}

}  // namespace tundrel
