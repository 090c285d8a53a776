#include "core/bytes/cursor.h"
#include "core/layouts/common/pixels.h"
#include "core/layouts/ps1/ps1_format.h"

namespace bayswap {
namespace {

constexpr std::uint32_t kSide = 16;

Colour colour_of(std::uint16_t stored) {
  return {widen5(stored), widen5(static_cast<unsigned>(stored) >> 5U),
          widen5(static_cast<unsigned>(stored) >> 10U),
          static_cast<std::uint8_t>(stored == 0 ? 0 : 255)};
}

}  // namespace

Face ps1_face(const Save& save) {
  using namespace ps1;
  const ByteView data = save.parts.front().data;
  Face face;
  if (!is_save_start(data)) return face;
  Cursor cursor(data);
  const std::size_t count = cursor.u8(kIconKind) - 0x10U;
  for (std::size_t i = 0; i < count; ++i) {
    Picture picture = blank_picture(kSide, kSide);
    const ByteView stored = cursor.bytes(kPictures + i * kPictureSize, kPictureSize);
    if (stored.empty()) break;
    for (std::size_t pixel = 0; pixel < picture.pixels.size(); ++pixel) {
      const unsigned pair = to_u8(stored[pixel / 2]);
      const unsigned index = pixel % 2 == 0 ? pair & 15U : pair >> 4U;
      picture.pixels[pixel] = colour_of(cursor.u16le(kPalette + index * 2));
    }
    face.pictures.push_back(std::move(picture));
  }
  return face;
}

}  // namespace bayswap
