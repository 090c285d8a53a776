// SHA-1, by the system's cryptography library: formats of consoles use it as a checksum.
#pragma once

#include <array>

#include "bayswap/bytes.h"

namespace bayswap {

using Sha1 = std::array<std::byte, 20>;

[[nodiscard]] Sha1 sha1(ByteView bytes);

}  // namespace bayswap
