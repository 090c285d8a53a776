// The save library that a gba game was linked with leaves its name in the ROM.
#pragma once

#include <optional>

#include "bayswap/bytes.h"
#include "bayswap/save.h"

namespace bayswap {

/// The chip that the first marker names (size 0: not told); nothing without a marker. Runs at about
/// the speed of memory.
[[nodiscard]] std::optional<Chip> find_gba_chip(ByteView rom);

}  // namespace bayswap
