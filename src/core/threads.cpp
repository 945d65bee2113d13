#include "threads.h"

#include <algorithm>
#include <atomic>
#include <thread>
#include <vector>

namespace tundrel {

void share_out(int jobs, int threads, const std::function<void(int thread, int job)>& work) {
  std::atomic<int> next{0};
  const auto serve = [&](int thread) {
    for (int job = next++; job < jobs; job = next++) work(thread, job);
  };
  std::vector<std::thread> helpers;
  for (int t = 1; t < std::min(threads, jobs); ++t) helpers.emplace_back(serve, t);
  serve(0);
  for (std::thread& helper : helpers) helper.join();
}

}  // namespace tundrel
