#include "history/write_behind.h"

#include <fcntl.h>

#include <chrono>

namespace bayswap {

WriteBehind::WriteBehind(const Path& file) : file_(::open(file.c_str(), O_RDONLY | O_CLOEXEC)) {
  if (file_.open()) worker_ = std::thread([this] { run(); });
}

WriteBehind::~WriteBehind() {
  {
    const std::scoped_lock lock(guard_);
    end_ = true;
  }
  ended_.notify_all();
  if (worker_.joinable()) worker_.join();
}

void WriteBehind::run() {
  constexpr std::chrono::milliseconds kBetween{50};
  std::unique_lock lock(guard_);
  while (!ended_.wait_for(lock, kBetween, [this] { return end_; })) {
    lock.unlock();
    (void)::sync_file_range(file_.get(), 0, 0, SYNC_FILE_RANGE_WRITE);
    lock.lock();
  }
}

}  // namespace bayswap
