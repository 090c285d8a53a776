// A line on standard error for work that takes more than a second.
#pragma once

#include <chrono>
#include <cstddef>
#include <string>

namespace bayswap::cli {

/// Shows only on a terminal, and only when standard output goes elsewhere, so that it never stands
/// between the lines of a result.
class Progress {
 public:
  explicit Progress(std::string what);
  ~Progress();
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;
  void step();

 private:
  using Clock = std::chrono::steady_clock;
  std::string what_;
  bool wanted_;
  bool shown_ = false;
  std::size_t done_ = 0;
  Clock::time_point next_;
};

}  // namespace bayswap::cli
