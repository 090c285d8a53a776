// Erased, repeated and padded storage.
#pragma once

#include <cstddef>

#include "bayswap/bytes.h"

namespace bayswap {

inline constexpr std::byte kErasedZero{0x00};
inline constexpr std::byte kErasedOnes{0xFF};

/// The same bytes, compared as fast as memory is read.
[[nodiscard]] bool same_bytes(ByteView a, ByteView b);

/// All bytes are `value`. True for no bytes.
[[nodiscard]] bool is_filled(ByteView data, std::byte value);

/// Erased storage: all 0x00 or all 0xFF.
[[nodiscard]] bool is_erased(ByteView data);

/// The data is its first `period` bytes over and over. False when period is 0 or does not divide.
[[nodiscard]] bool repeats(ByteView data, std::size_t period);

/// The bytes behind `size` hold nothing of their own: erased, or a repetition of the first `size`.
[[nodiscard]] bool can_shrink(ByteView data, std::size_t size);

/// The value that the tail of the data is erased with, or `otherwise` when it is not erased.
[[nodiscard]] std::byte erased_value(ByteView data, std::byte otherwise);

}  // namespace bayswap
