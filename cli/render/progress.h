// A line on standard error for work that takes more than a second.
#pragma once

#include <chrono>
#include <cstdint>
#include <string>

#include "bayswap/progress.h"

namespace bayswap::cli {

/// Shows how far the operations of a session are. Only on a terminal.
class ProgressLine final : public Progress {
 public:
  ProgressLine();
  ~ProgressLine() override;
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;
  /// Takes the line away, for something else to be printed.
  void clear();
  bool report(Work work, std::uint64_t done, std::uint64_t all) override;

 private:
  using Clock = std::chrono::steady_clock;

  bool wanted_;
  bool shown_ = false;
  Clock::time_point begun_;
  Clock::time_point next_;
};

/// `████████░░░░░░░░  512 MiB of 2 GiB, 310 MiB/s`
[[nodiscard]] std::string bar_text(std::uint64_t done, std::uint64_t all, double seconds);

}  // namespace bayswap::cli
