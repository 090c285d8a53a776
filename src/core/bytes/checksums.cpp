#include "core/bytes/checksums.h"

#include "core/bytes/cursor.h"

namespace bayswap {

std::uint16_t crc16_arc(ByteView data, std::uint16_t start) {
  constexpr std::uint16_t kPolynomial = 0xA001;
  std::uint16_t crc = start;
  for (const std::byte byte : data) {
    crc = static_cast<std::uint16_t>(crc ^ to_u8(byte));
    for (int bit = 0; bit < 8; ++bit) {
      const bool carry = (crc & 1U) != 0;
      crc = static_cast<std::uint16_t>(crc >> 1U);
      if (carry) crc = static_cast<std::uint16_t>(crc ^ kPolynomial);
    }
  }
  return crc;
}

std::uint16_t crc16_ccitt(ByteView data, std::uint16_t start) {
  constexpr std::uint16_t kPolynomial = 0x1021;
  std::uint16_t crc = start;
  for (const std::byte byte : data) {
    crc = static_cast<std::uint16_t>(crc ^ to_u8(byte) << 8U);
    for (int bit = 0; bit < 8; ++bit) {
      const bool carry = (crc & 0x8000U) != 0;
      crc = static_cast<std::uint16_t>(crc << 1U);
      if (carry) crc = static_cast<std::uint16_t>(crc ^ kPolynomial);
    }
  }
  return crc;
}

}  // namespace bayswap
