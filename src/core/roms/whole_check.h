// Checksums over a whole ROM, and sizes, where headers tell them.
#pragma once

#include <cstdint>
#include <optional>

#include "bayswap/bytes.h"
#include "bayswap/game.h"

namespace bayswap {

enum class WholeCheck { none, holds, fails };

/// gb: big-endian at 0x14E, the sum of all other bytes. snes: the pair in the header at 0x7FC0 or
/// 0xFFC0, the sum of all bytes with the rest of an odd size repeated. md: big-endian at 0x18E, the
/// sum of the 16-bit words from 0x200 on. Others have none that can be worked out.
[[nodiscard]] WholeCheck whole_check_of(System system, ByteView rom);

/// Bytes of the whole ROM, as its header says; nothing where it does not. gb 0x148, nes from its
/// banks, snes 0x7FD7, md 0x1A4.
[[nodiscard]] std::optional<std::uint64_t> rom_size_in(System system, ByteView header);

}  // namespace bayswap
