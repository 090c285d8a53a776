// The error-correcting code of ps2 cards: three bytes for each 128, a single bit can be mended.
// docs/formats/ps2.md
#pragma once

#include <array>
#include <cstdint>

#include "bayswap/bytes.h"

namespace bayswap::ps2 {

inline constexpr std::size_t kChunkSize = 128;
inline constexpr std::size_t kEccSize = 3;

using Ecc = std::array<std::uint8_t, kEccSize>;

/// The code of a chunk, which must have 128 bytes.
[[nodiscard]] Ecc ecc_of(ByteView chunk);

enum class EccState {
  sound,
  mended,  ///< one bit was wrong, in the data or in the code
  broken,  ///< more than one
};

/// Compares a chunk with its stored code and mends a wrong bit of the data in place.
[[nodiscard]] EccState check_chunk(std::span<std::byte> chunk, ByteView stored);

}  // namespace bayswap::ps2
