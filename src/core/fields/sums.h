// Checksums that field maps describe.
#pragma once

#include <array>

#include "core/fields/field_map.h"

namespace bayswap::fields {

/// A CRC, a byte at a time.
class CrcTable {
 public:
  explicit CrcTable(const Checksum& sum);
  [[nodiscard]] std::uint64_t next(std::uint64_t crc, std::uint8_t byte) const {
    const std::uint64_t top = reflected_ ? crc : crc >> (width_ - 8);
    const std::uint64_t rest = reflected_ ? crc >> 8U : crc << 8U;
    return (table_[(top ^ byte) & 0xFFU] ^ rest) & mask_;
  }

 private:
  bool reflected_;
  unsigned width_;
  std::uint64_t mask_;
  std::array<std::uint64_t, 256> table_{};
};

/// The number that the checksum of the bytes is, cut to its width.
[[nodiscard]] std::uint64_t sum_of(const Checksum& sum, ByteView bytes);

}  // namespace bayswap::fields
