#include "moves/in_use.h"

#include <fmt/core.h>

#include <chrono>
#include <thread>

#include "core/bytes/text.h"
#include "files/clock.h"
#include "moves/mover.h"

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
      Level::error,
      Code::in_use,
      fmt::format("{}: is held open for writing by {}", safe_text(path.string()), writer),
      {"close that program first, or it will write its own progress over this one; '",
       Remedy::wait_for_program, "' waits for it"}};
}

std::optional<Finding> changed_just_now(Storage& storage, const Path& path, std::int64_t own_ns,
                                        int wait_seconds) {
  using Clock = std::chrono::steady_clock;
  constexpr std::int64_t kQuiet = 2'000'000'000;  // nanoseconds
  constexpr std::int64_t kMade = 100'000'000;     // a new file is complete when it is this old
  constexpr std::chrono::milliseconds kBetweenLooks{100};
  const auto end = Clock::now() + std::chrono::seconds(wait_seconds);
  while (true) {
    const auto info = storage.info(path);
    if (!info || info->type != FileType::file || info->modified_ns == own_ns) return std::nullopt;
    const std::int64_t age = now_ns() - info->modified_ns;
    const std::int64_t born = storage.born_ns(path);
    if (age < 0 || age >= kQuiet || born == 0 || info->modified_ns < born + kMade)
      return std::nullopt;
    if (Clock::now() >= end)
      return Finding{
          Level::error,
          Code::in_use,
          fmt::format("{}: was changed {:.1f} seconds ago; a program may be writing it",
                      safe_text(path.string()), static_cast<double>(age) / 1e9),
          {"wait until it is done: '", Remedy::wait_for_program, "' waits for two quiet seconds"}};
    std::this_thread::sleep_for(kBetweenLooks);
  }
}

}  // namespace bayswap
