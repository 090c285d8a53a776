// The picture in a header that the console compares with its own before it starts a game.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/game.h"

namespace bayswap {

/// gb: 48 bytes from 0x104; gba: 156 from 0x04. Known by their CRC-16 (A001, start FFFF). False
/// where the ROM ends before; true for systems without such a picture.
[[nodiscard]] bool logo_holds(System system, ByteView rom);

}  // namespace bayswap
