#include "core/layouts/cartridge/clock.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <limits>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

// Register order in the trailer; the second five are the latched copies.
struct Register {
  const char* name;
  std::uint32_t most;
};
constexpr std::array<Register, 5> kRegisters{{{"seconds", 59},
                                              {"minutes", 59},
                                              {"hours", 23},
                                              {"low day byte", 255},
                                              {"high day byte", 0xC1}}};

std::uint32_t register_at(ByteView clock, std::size_t index) {
  return Cursor(clock).u32le(index * 4);
}

std::uint64_t time_of(ByteView clock) {
  Cursor cursor(clock);
  return clock.size() == kClock48 ? cursor.u64le(kClockRegisters) : cursor.u32le(kClockRegisters);
}

bool is_clock_size(ByteView clock) {
  return clock.size() == kClock44 || clock.size() == kClock48;
}

}  // namespace

bool looks_like_clock(ByteView clock) {
  if (!is_clock_size(clock)) return false;
  for (std::size_t i = 0; i < 2 * kRegisters.size(); ++i)
    if (register_at(clock, i) > 0xFF) return false;
  return true;
}

bool clock_is_blank(ByteView clock) {
  return is_erased(clock);
}

std::optional<std::uint64_t> clock_base(ByteView clock) {
  constexpr std::uint32_t kStopped = 0x40;
  const std::uint32_t high = register_at(clock, 4);
  if ((high & kStopped) != 0) return std::nullopt;
  const std::uint64_t days = register_at(clock, 3) + ((high & 1U) << 8U);
  const std::uint64_t seconds =
      ((days * 24 + register_at(clock, 2)) * 60 + register_at(clock, 1)) * 60 +
      register_at(clock, 0);
  const std::uint64_t time = time_of(clock);
  return time > seconds ? time - seconds : 0;
}

bool same_clock(ByteView a, ByteView b) {
  if (!is_clock_size(a) || !is_clock_size(b))
    return std::equal(a.begin(), a.end(), b.begin(), b.end());
  if (std::equal(a.begin(), a.begin() + kClockRegisters, b.begin()) && time_of(a) == time_of(b))
    return true;
  const auto base = clock_base(a);
  return base && *base > 0 && base == clock_base(b);
}

Bytes clock_as(ByteView clock, std::size_t width, Findings& losses) {
  Bytes out(width, kErasedZero);
  if (!is_clock_size(clock)) return out;
  std::copy_n(clock.begin(), kClockRegisters, out.begin());
  const std::uint64_t time = time_of(clock);
  if (width == kClock44 && time > std::numeric_limits<std::uint32_t>::max())
    losses.push_back({Level::error, Code::loses_parts,
                      "the time of the clock lies past the year 2106 and does not fit in 4 bytes",
                      "use gb-battery-clock48"});
  store_le(std::span(out).subspan(kClockRegisters), time);
  return out;
}

std::optional<Bytes> clock_on_chip(ByteView chip, std::uint64_t now) {
  constexpr std::size_t kCount = kRegisters.size();
  if (looks_like_clock(chip)) {
    Findings no_losses;
    return clock_as(chip, kClock48, no_losses);
  }
  if (chip.size() != kCount && chip.size() != 2 * kCount) return std::nullopt;
  Bytes clock(kClock48, kErasedZero);
  for (std::size_t i = 0; i < 2 * kCount; ++i) clock[4 * i] = chip[i % chip.size()];
  store_le(std::span(clock).subspan(kClockRegisters), now);
  return clock;
}

Findings judge_clock(ByteView clock) {
  Findings findings;
  for (std::size_t i = 0; i < kRegisters.size(); ++i) {
    const std::uint32_t value = register_at(clock, i);
    const bool bad_flags = i == 4 && (value & ~kRegisters[i].most) != 0;
    if (value <= kRegisters[i].most && !bad_flags) continue;
    findings.push_back({Level::warn, Code::clock_out_of_range,
                        fmt::format("the clock's {} are {}, which the hardware cannot hold",
                                    kRegisters[i].name, value),
                        "the game may ask to set its clock; the rest of the save is not affected"});
  }
  return findings;
}

}  // namespace bayswap
