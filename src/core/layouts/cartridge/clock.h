// The real-time clock of gb cartridges, as programs append it to the battery image.
#pragma once

#include <cstdint>
#include <optional>

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

inline constexpr std::size_t kClockRegisters = 40;  ///< ten u32le, in bytes
inline constexpr std::size_t kClock44 = 44;         ///< with the time as u32le
inline constexpr std::size_t kClock48 = 48;         ///< with the time as u64le

/// Ten registers of one byte each, widened to u32le, then a time: what a clock trailer looks like.
[[nodiscard]] bool looks_like_clock(ByteView clock);

/// All registers and the time are zero, or all bytes are FF.
[[nodiscard]] bool clock_is_blank(ByteView clock);

/// The Unix time at which the clock would have read zero; nothing when it stands still.
[[nodiscard]] std::optional<std::uint64_t> clock_base(ByteView clock);

/// Same registers and same time, whatever the width of the time; or clocks that run alike.
[[nodiscard]] bool same_clock(ByteView a, ByteView b);

/// The clock with its time in 4 or 8 bytes. A time past 2106 does not fit in 4: that is a loss.
[[nodiscard]] Bytes clock_as(ByteView clock, std::size_t width, Findings& losses);

/// The clock in 48 bytes from what a cartridge holds: its five registers, one byte each, alone or
/// with their latched copies; or 44 or 48 bytes as above. `now`: Unix seconds when it was read.
/// Nothing for other bytes.
[[nodiscard]] std::optional<Bytes> clock_on_chip(ByteView chip, std::uint64_t now);

/// Warnings about values that the hardware cannot hold.
[[nodiscard]] Findings judge_clock(ByteView clock);

}  // namespace bayswap
