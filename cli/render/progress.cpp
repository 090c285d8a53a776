#include "cli/render/progress.h"

#include <fmt/core.h>
#include <unistd.h>

#include <algorithm>
#include <iostream>
#include <string_view>

#include "cli/interrupt.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kBarCells = 32;

std::string rounded(double bytes) {
  constexpr double kKibi = 1024.0;
  constexpr double kFew = 4.0 * kKibi * kKibi;
  return bytes < kFew ? fmt::format("{:.0f} KiB", bytes / kKibi)
                      : fmt::format("{:.0f} MiB", bytes / kKibi / kKibi);
}

std::string_view word_for(Work work) {
  switch (work) {
    case Work::files: return "files looked at";
    case Work::saves: return "saves";
    case Work::versions: return "versions";
    case Work::bytes: return "copying ";
    case Work::cartridge: return "cartridge ";
    case Work::hub: return "to the hub ";
  }
  return {};
}

}  // namespace

ProgressLine::ProgressLine()
    : wanted_(::isatty(STDERR_FILENO) == 1),
      begun_(Clock::now()),
      next_(begun_ + std::chrono::seconds(1)) {}

ProgressLine::~ProgressLine() {
  clear();
}

void ProgressLine::clear() {
  if (shown_) std::cerr << "\r\x1b[K" << std::flush;
  shown_ = false;
}

bool ProgressLine::report(Work work, std::uint64_t done, std::uint64_t all) {
  if (interrupted()) return false;
  if (!wanted_ || Clock::now() < next_) return true;
  next_ = Clock::now() + std::chrono::milliseconds(100);
  shown_ = true;
  const double seconds = std::chrono::duration<double>(Clock::now() - begun_).count();
  std::cerr << "\r\x1b[K";
  if (work == Work::bytes || work == Work::cartridge || work == Work::hub)
    std::cerr << word_for(work)
              << (all > 0 ? bar_text(done, all, seconds) : rounded(static_cast<double>(done)))
              << std::flush;
  else
    std::cerr << word_for(work) << ": " << grouped(done)
              << (all > 0 ? " of " + grouped(all) : std::string())
              << (seconds > 0 ? fmt::format(", {:.0f}/s", static_cast<double>(done) / seconds)
                              : std::string())
              << std::flush;
  return true;
}

std::string bar_text(std::uint64_t done, std::uint64_t all, double seconds) {
  const std::uint64_t part = std::min(done, all);
  const std::size_t full = all == 0 ? kBarCells : static_cast<std::size_t>(part * kBarCells / all);
  std::string bar;
  for (std::size_t i = 0; i < kBarCells; ++i) bar += i < full ? "█" : "░";
  const auto bytes = static_cast<double>(done);
  std::string text =
      fmt::format("{}  {} of {}", bar, rounded(bytes), rounded(static_cast<double>(all)));
  if (seconds <= 0) return text;
  text += fmt::format(", {}/s", rounded(bytes / seconds));
  if (done > 0 && done < all)
    text += fmt::format(", {:.0f} s left", static_cast<double>(all - done) * seconds / bytes);
  return text;
}

}  // namespace bayswap::cli
