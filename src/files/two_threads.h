// Work that is done by two threads.
#pragma once

#include <cstddef>
#include <functional>
#include <future>
#include <thread>
#include <utility>

namespace bayswap {

/// Lets a thread that was just made begin at once where another processor is idle. A new one may
/// be given the processor of its maker, and then waits for some ms until that one stops.
void begin_beside_me(std::thread& made);

/// Work on a thread of its own, meanwhile. Waits for it at the latest when it goes.
template <class Result>
class Meanwhile {
 public:
  explicit Meanwhile(std::function<Result()> work) {
    std::packaged_task<Result()> task(std::move(work));
    result_ = task.get_future();
    thread_ = std::thread(std::move(task));
    begin_beside_me(thread_);
  }
  Meanwhile(const Meanwhile&) = delete;
  Meanwhile& operator=(const Meanwhile&) = delete;
  ~Meanwhile() {
    if (thread_.joinable()) thread_.join();
  }

  /// Waits for the work. Throws what it threw.
  Result get() {
    thread_.join();
    return result_.get();
  }
  /// The result, for several who wait for it; instead of get().
  std::shared_future<Result> shared() { return result_.share(); }

 private:
  std::future<Result> result_;
  std::thread thread_;
};

/// Calls `work` once for each number below `count`. Each thread takes the next number that is left,
/// so that heavy ones that stand together do no harm.
void on_two_threads(std::size_t count, const std::function<void(std::size_t)>& work);

}  // namespace bayswap
