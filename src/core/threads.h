// Work shared out over threads.
#pragma once
#include <functional>

namespace tundrel {

// Calls work(thread, job) for every job, on up to `threads` threads, numbered from 0; the caller's own is 0. Where a job throws,
// no more are begun, and the first exception is thrown again once all threads have ended. Where the machine refuses to start a
// thread, those that there are do all the work.
void share_out(int jobs, int threads, const std::function<void(int thread, int job)>& work);

// TRUE if the machine has refused to start a thread since it was last asked.
bool take_refused_threads();

}  // namespace tundrel
