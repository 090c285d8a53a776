// Numbers of any width in bytes of either order.
#pragma once

#include <bit>
#include <cstdint>

#include "core/bytes/cursor.h"

namespace bayswap::fields {

/// So many ones, at the low end.
[[nodiscard]] inline std::uint64_t low_bits(unsigned width) {
  return width >= 64 ? ~0ULL : (1ULL << width) - 1;
}

/// At most eight bytes.
[[nodiscard]] inline std::uint64_t number_in(ByteView bytes, std::endian order) {
  std::uint64_t value = 0;
  for (std::size_t i = 0; i < bytes.size(); ++i)
    value = value << 8U | to_u8(bytes[order == std::endian::big ? i : bytes.size() - 1 - i]);
  return value;
}

inline void store_number(std::span<std::byte> bytes, std::uint64_t value, std::endian order) {
  if (order == std::endian::big)
    store_be(bytes, value);
  else
    store_le(bytes, value);
}

}  // namespace bayswap::fields
