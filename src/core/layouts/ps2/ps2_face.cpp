#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/layouts/common/pixels.h"

namespace bayswap {
namespace {

constexpr std::size_t kBackdrop = 0x10;  // 4 corners of 4 × u32: red, green, blue, unused; 0 to 255

}  // namespace

// The icons are 3-D models, which stay files; the menu draws them before these colours.
Face ps2_face(const Save& save) {
  Face face;
  const Part* icon = save.part("icon.sys");
  if (icon == nullptr ||
      ascii_text(ByteView(icon->data).first(std::min<std::size_t>(4, icon->data.size()))) != "PS2D")
    return face;
  Cursor cursor(icon->data);
  std::array<Colour, 4> corners;
  for (std::size_t i = 0; i < corners.size(); ++i) {
    const auto channel = [&](std::size_t k) {
      return static_cast<std::uint8_t>(
          std::min<std::uint32_t>(255, cursor.u32le(kBackdrop + i * 16 + k * 4)));
    };
    corners[i] = {channel(0), channel(1), channel(2), 255};
  }
  if (!cursor.overrun()) face.backdrop = corners;
  return face;
}

}  // namespace bayswap
