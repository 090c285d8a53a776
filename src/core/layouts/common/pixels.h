// Colours and pictures as consoles store them.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/face.h"

namespace bayswap {

/// Five bits of colour to eight.
[[nodiscard]] constexpr std::uint8_t widen5(unsigned value) {
  return static_cast<std::uint8_t>((value & 31U) << 3U | (value & 31U) >> 2U);
}
/// Four bits of colour to eight.
[[nodiscard]] constexpr std::uint8_t widen4(unsigned value) {
  return static_cast<std::uint8_t>((value & 15U) * 17U);
}

[[nodiscard]] Picture blank_picture(std::uint32_t width, std::uint32_t height);

[[nodiscard]] Face ps1_face(const Save& save);
[[nodiscard]] Face ps2_face(const Save& save);
[[nodiscard]] Face gc_face(const Save& save);
[[nodiscard]] Face dc_face(const Save& save);

}  // namespace bayswap
