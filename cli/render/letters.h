// Letters as dots, for pictures.
#pragma once

#include <array>
#include <cstdint>

namespace bayswap::cli {

inline constexpr unsigned kLetterWide = 5;  // dots
inline constexpr unsigned kLetterHigh = 7;

/// The columns of a printable ASCII letter from the left, the lowest bit on top; a question mark's
/// for all others.
[[nodiscard]] const std::array<std::uint8_t, kLetterWide>& dots_of(char letter);

}  // namespace bayswap::cli
