// A line on standard error for work that takes more than a second.
#pragma once

#include <chrono>
#include <cstdint>
#include <string>

namespace bayswap::cli {

/// Where the line may show.
enum class Beside {
  nothing,  ///< only when standard output goes elsewhere: results come while the work goes on
  results,  ///< on any terminal: results come when the work is done
};

class Progress {
 public:
  Progress(std::string what, Beside beside);
  ~Progress();
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;
  /// One more is done.
  void step();
  /// So many bytes of so many are done: shown as a bar.
  void bytes(std::uint64_t done, std::uint64_t all);

 private:
  using Clock = std::chrono::steady_clock;
  [[nodiscard]] bool due();
  void show(const std::string& text);

  std::string what_;
  bool wanted_;
  bool shown_ = false;
  std::size_t done_ = 0;
  Clock::time_point begun_;
  Clock::time_point next_;
};

/// `████████░░░░░░░░  512 MiB of 2 GiB, 310 MiB/s`
[[nodiscard]] std::string bar_text(std::uint64_t done, std::uint64_t all, double seconds);

}  // namespace bayswap::cli
