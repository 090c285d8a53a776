// One reader for each family of ROM headers. Each gives nothing when the bytes are not of its
// family.
#pragma once

#include <optional>

#include "bayswap/rom.h"

namespace bayswap {

[[nodiscard]] std::optional<RomInfo> read_n64_rom(ByteView file);
[[nodiscard]] std::optional<RomInfo> read_gb_rom(ByteView file);
[[nodiscard]] std::optional<RomInfo> read_snes_rom(ByteView file);

/// The warning about a header whose own check does not hold.
[[nodiscard]] Finding bad_header_check();

/// Four characters of a game code: capitals and digits.
[[nodiscard]] bool is_game_code(ByteView code);

}  // namespace bayswap
