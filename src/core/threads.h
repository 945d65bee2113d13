// Work shared out over threads.
#pragma once
#include <functional>

namespace tundrel {

// Calls work(thread, job) for every job, on up to `threads` threads, numbered from 0.
void share_out(int jobs, int threads, const std::function<void(int thread, int job)>& work);

}  // namespace tundrel
