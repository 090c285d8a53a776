#include "moves/in_use.h"

#include <fmt/format.h>

#include <chrono>
#include <thread>

#include "bytes/text.h"

namespace bayswap {

std::optional<Finding> in_use(Storage& storage, const Path& path, int wait_seconds) {
  using Clock = std::chrono::steady_clock;
  constexpr std::chrono::milliseconds kBetweenLooks{100};
  const auto end = Clock::now() + std::chrono::seconds(wait_seconds);
  std::string writer = storage.writer_of(path);
  while (!writer.empty() && Clock::now() < end) {
    std::this_thread::sleep_for(kBetweenLooks);
    writer = storage.writer_of(path);
  }
  if (writer.empty()) return std::nullopt;
  return Finding{
      Level::error, "in-use",
      fmt::format("{}: is held open for writing by {}", safe_text(path.string()), writer),
      "close that program first, or it will write its own progress over this one; 'bayswap "
      "carry --wait SECONDS' waits for it"};
}

}  // namespace bayswap
