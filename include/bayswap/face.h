// What a save looks like in the console's own menu: its text and pictures.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "bayswap/save.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Red, green, blue and opacity, 0 to 255 each.
struct Colour {
  std::uint8_t red = 0;
  std::uint8_t green = 0;
  std::uint8_t blue = 0;
  std::uint8_t alpha = 255;

  bool operator==(const Colour&) const = default;
};

/// Rows from the top, pixels from the left.
struct Picture {
  std::uint32_t width = 0;
  std::uint32_t height = 0;
  std::vector<Colour> pixels;

  bool operator==(const Picture&) const = default;
};

/// How a console shows a save.
struct Face {
  std::vector<Picture> pictures;  ///< in the order in which the save stores them
  std::size_t icon = 0;           ///< place of the first icon in `pictures`
  /// The four corner colours behind a 3-D icon, from the upper left, row by row.
  std::optional<std::array<Colour, 4>> backdrop;
};

/// Decodes the pictures of a save of a memory card. What is damaged is left out.
[[nodiscard]] Face face_of(const Save& save);

}  // namespace bayswap

#pragma GCC visibility pop
