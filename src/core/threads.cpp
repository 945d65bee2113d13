#include "threads.h"

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace tundrel {
namespace {

std::atomic<bool> refused_threads{false};

}  // namespace

bool take_refused_threads() { return refused_threads.exchange(false); }

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
  for (int t = 1; t < std::min(threads, jobs); ++t) {
    try {
      helpers.emplace_back(serve, t);
    } catch (const std::exception&) {
      // the machine gives no more: those that there are do the work
      refused_threads = true;
      break;
    }
  }
  serve(0);
  for (std::thread& helper : helpers) helper.join();
  if (thrown) std::rethrow_exception(thrown);
}

}  // namespace tundrel
