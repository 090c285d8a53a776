// Pictures in a terminal: two pixels a cell, in true colour.
#pragma once

#include <string>
#include <vector>

#include "bayswap/face.h"

namespace bayswap::cli {

/// The picture at most `side` pixels wide and high, made smaller by averaging.
[[nodiscard]] Picture fitted(const Picture& picture, std::uint32_t side);

/// Lines of half-block characters, two rows of pixels each, `columns` cells wide.
[[nodiscard]] std::vector<std::string> picture_lines(const Picture& picture, std::size_t columns);

/// Four corner colours blended over a square.
[[nodiscard]] Picture gradient(const std::array<Colour, 4>& corners, std::uint32_t side);

/// What a person recognises a save by: its first icon, or the colours behind its 3-D one.
[[nodiscard]] Picture portrait(const Face& face, std::uint32_t side);

}  // namespace bayswap::cli
