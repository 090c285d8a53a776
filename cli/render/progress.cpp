#include "cli/render/progress.h"

#include <fmt/core.h>
#include <unistd.h>

#include <algorithm>
#include <iostream>
#include <utility>

#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kBarCells = 32;

std::string rounded(double bytes) {
  constexpr double kMebi = 1024.0 * 1024.0;
  return fmt::format("{:.0f} MiB", bytes / kMebi);
}

}  // namespace

Progress::Progress(std::string what, Beside beside)
    : what_(std::move(what)),
      wanted_(::isatty(STDERR_FILENO) == 1 &&
              (beside == Beside::results || ::isatty(STDOUT_FILENO) == 0)),
      begun_(Clock::now()),
      next_(begun_ + std::chrono::seconds(1)) {}

Progress::~Progress() {
  if (shown_) std::cerr << "\r\x1b[K" << std::flush;
}

bool Progress::due() {
  if (!wanted_ || Clock::now() < next_) return false;
  next_ = Clock::now() + std::chrono::milliseconds(100);
  return true;
}

void Progress::show(const std::string& text) {
  shown_ = true;
  std::cerr << "\r\x1b[K" << what_ << " " << text << std::flush;
}

void Progress::step() {
  ++done_;
  if (due()) show(grouped(done_));
}

void Progress::bytes(std::uint64_t done, std::uint64_t all) {
  if (due())
    show(bar_text(done, all, std::chrono::duration<double>(Clock::now() - begun_).count()));
}

std::string bar_text(std::uint64_t done, std::uint64_t all, double seconds) {
  const std::uint64_t part = std::min(done, all);
  const std::size_t full = all == 0 ? kBarCells : static_cast<std::size_t>(part * kBarCells / all);
  std::string bar;
  for (std::size_t i = 0; i < kBarCells; ++i) bar += i < full ? "█" : "░";
  const auto bytes = static_cast<double>(done);
  return fmt::format("{}  {} of {}{}", bar, rounded(bytes), rounded(static_cast<double>(all)),
                     seconds > 0 ? fmt::format(", {}/s", rounded(bytes / seconds)) : "");
}

}  // namespace bayswap::cli
