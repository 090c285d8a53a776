// Checksums that formats use and no common library offers.
#pragma once

#include <cstdint>

#include "bayswap/bytes.h"

namespace bayswap {

/// CRC-16 with the reflected polynomial A001.
[[nodiscard]] std::uint16_t crc16_arc(ByteView data, std::uint16_t start);

/// CRC-16 with the polynomial 1021, highest bit first.
[[nodiscard]] std::uint16_t crc16_ccitt(ByteView data, std::uint16_t start);

}  // namespace bayswap
