// The drawings of the demo world's saves, 16 pixels on a side, and little helpers to store them.
#pragma once

#include <array>
#include <string_view>

#include "bayswap/bytes.h"

namespace bayswap::demo {

enum class Art { moon, tower, star, kite, forge, wave };

inline constexpr std::size_t kArtSide = 16;
inline constexpr std::size_t kArtColours = 12;

/// Red, green and blue of a colour of the drawings, 0 to 31 each. Colour 0 is transparent.
[[nodiscard]] const std::array<unsigned, 3>& art_colour(unsigned index);
/// The colour of a pixel.
[[nodiscard]] unsigned index_at(Art art, std::size_t x, std::size_t y);

void store(Bytes& bytes, std::size_t at, std::uint64_t value, std::size_t width, bool big);
/// Text in a field that is filled up with zeros.
void store_text(Bytes& bytes, std::size_t at, std::string_view text, std::size_t room);

}  // namespace bayswap::demo
