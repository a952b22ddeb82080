// Independent tasks on a few threads. Tasks must not touch R; the answers do not depend on how many
// threads there are.
#pragma once
#include <atomic>
#include <exception>
#include <thread>
#include <vector>

namespace nubrek {

template <class Task>
void run_tasks(std::size_t n, int threads, const Task& task) {
  std::atomic<std::size_t> next{0};
  std::vector<std::exception_ptr> failed(static_cast<std::size_t>(threads));
  auto work = [&](std::size_t me) {
    try {
      for (std::size_t i; (i = next++) < n;) task(i);
    } catch (...) {
      failed[me] = std::current_exception();
    }
  };
  std::vector<std::thread> helpers;
  const std::size_t wanted =
      n < static_cast<std::size_t>(threads) ? n : static_cast<std::size_t>(threads);
  for (std::size_t i = 1; i < wanted; ++i) {
    try {
      helpers.emplace_back(work, i);
    } catch (const std::exception&) {
      break;
    }  // no more threads to be had: the rest do it
  }
  work(0);
  for (auto& helper : helpers) helper.join();
  for (const auto& one : failed)
    if (one) std::rethrow_exception(one);
}

}  // namespace nubrek
