#include "core/layouts/cartridge/gb_rtc.h"

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chip_table.h"
#include "core/layouts/cartridge/chips.h"
#include "core/layouts/cartridge/clock.h"

namespace bayswap {
namespace {

constexpr std::size_t kBaseTime = 8;  // bytes

const ChipSpec& gb_chip() {
  return *std::ranges::find(chip_table(), "gb-battery", &ChipSpec::id);
}

// A base time, or the ten registers and a time.
bool is_clock_file(ByteView clock) {
  if (clock.size() != kBaseTime) return looks_like_clock(clock);
  constexpr std::uint64_t kYear2200 = 7'258'118'400;
  return Cursor(clock).u64le(0) < kYear2200;
}

// A base time as a clock that read zero then.
Bytes as_clock(ByteView file) {
  Bytes clock(file.begin(), file.end());
  if (file.size() != kBaseTime) return clock;
  clock.assign(kClock48, kErasedZero);
  std::copy(file.begin(), file.end(), clock.begin() + kClockRegisters);
  return clock;
}

// A clock that stands still begins to run again from its time.
Bytes base_time_of(ByteView clock) {
  Cursor cursor(clock);
  const std::uint64_t time =
      clock.size() == kClock48 ? cursor.u64le(kClockRegisters) : cursor.u32le(kClockRegisters);
  Bytes base(kBaseTime, kErasedZero);
  store_le(std::span(base), clock_base(clock).value_or(time));
  return base;
}

}  // namespace

GbRtcLayout::GbRtcLayout() : chip_(gb_chip()) {
  info_ = chip_.info();
  info_.id = "gb-battery-rtc";
  info_.summary = "cartridge RAM, the clock in a file of its own beside it";
  info_.parts = {"sram", "clock"};
  info_.second_file = ".rtc";
  info_.second_file_for_extension = true;
}

std::optional<Match> GbRtcLayout::recognise(ByteView file, const Hints& hints) const {
  if (hints.second_file.empty() || !is_clock_file(hints.second_file)) return std::nullopt;
  if (hints.chips && !hinted_size(hints, "clock")) return std::nullopt;
  const auto chip = chip_.recognise(file, hints);
  if (!chip) return std::nullopt;
  const bool expected = hinted_size(hints, "clock").has_value();
  return Match{expected ? Confidence::certain : Confidence::likely,
               "a clock of its own lies beside it", Basis::structure};
}

Result<Content> GbRtcLayout::read(ByteView file, const Hints& hints) const {
  auto content = chip_.read(file, hints);
  if (!content || !is_clock_file(hints.second_file)) return content;
  content->saves.front().parts.push_back(
      make_part(System::gb, "clock", as_clock(hints.second_file)));
  return content;
}

Result<Written> GbRtcLayout::write(const WriteRequest& request) const {
  if (request.saves.size() != 1) return chip_.write(request);
  Save ram = request.saves.front();
  std::erase_if(ram.parts, [](const Part& part) { return part.name == "clock"; });
  WriteRequest inner = request;
  inner.saves = std::span(&ram, 1);
  auto written = chip_.write(inner);
  const Part* clock = request.saves.front().part("clock");
  if (!written || clock == nullptr) return written;
  const ByteView there = request.hints.second_file;
  const std::size_t width = !there.empty() && is_clock_file(there) ? there.size() : kClock48;
  const Bytes whole = as_clock(clock->data);
  written->second_file =
      width == kBaseTime ? base_time_of(whole) : clock_as(whole, width, written->losses);
  return written;
}

}  // namespace bayswap
