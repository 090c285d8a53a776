// Judging from its content in which byte order a save is stored.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

/// The unit (1: as it is, 2, 4 or 8 bytes reversed) in which words of the game or ordinary text can
/// be read. Nothing unless one of the units reads clearly better than all others.
[[nodiscard]] std::optional<std::size_t> judge_byte_order(ByteView stored,
                                                          const std::vector<std::string>& words,
                                                          std::span<const std::size_t> units);

}  // namespace bayswap
