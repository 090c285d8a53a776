// Checksums that formats use and no common library offers.
#pragma once

#include <cstdint>

#include "bayswap/bytes.h"

namespace bayswap {

/// CRC-16 with the reflected polynomial A001.
[[nodiscard]] std::uint16_t crc16_arc(ByteView data, std::uint16_t start);

}  // namespace bayswap
