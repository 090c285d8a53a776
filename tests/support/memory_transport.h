// A simulated reader at the other end of a stream that is only memory, in time that only passes
// while somebody waits.
#pragma once

#include <algorithm>

#include "demo/simulated_reader.h"
#include "readers/transport.h"

namespace bayswap::test {

class MemoryTransport final : public Transport {
 public:
  explicit MemoryTransport(demo::SimulatedReader& reader) : reader_(&reader) {}

  Result<void> send(ByteView bytes) override {
    reader_->take(bytes, now_);
    return {};
  }
  Result<std::size_t> receive(std::span<std::byte> room, Milliseconds most) override {
    if (waiting_.empty()) waiting_ = reader_->give(now_);
    if (waiting_.empty()) {
      const auto due = reader_->next_due();
      now_ = due && *due <= now_ + most ? std::max(now_, *due) : now_ + most;
      waiting_ = reader_->give(now_);
    }
    const std::size_t count = std::min(room.size(), waiting_.size());
    std::copy_n(waiting_.begin(), count, room.begin());
    waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(count));
    return count;
  }
  [[nodiscard]] Milliseconds now() const override { return now_; }
  void pause(Milliseconds time) override { now_ += time; }
  [[nodiscard]] std::string name() const override { return "memory"; }

 private:
  demo::SimulatedReader* reader_;
  Milliseconds now_{1'000'000};
  Bytes waiting_;
};

}  // namespace bayswap::test
