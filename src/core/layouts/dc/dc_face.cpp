#include "core/bytes/cursor.h"
#include "core/layouts/common/pixels.h"
#include "core/layouts/dc/dc_format.h"

namespace bayswap {
namespace {

using namespace dc;

constexpr std::uint32_t kSide = 32;
constexpr std::uint32_t kEyecatchWidth = 72;
constexpr std::uint32_t kEyecatchHeight = 56;

// The card's own icon: where its two pictures stand.
constexpr std::size_t kOneBitPlace = 0x10;  // u32
constexpr std::size_t kColourPlace = 0x14;  // u32
constexpr std::size_t kOneBitSize = 128;    // 32×32, highest bit left, 1 is dark

Colour colour_of(std::uint16_t stored) {
  const unsigned value = stored;
  return {widen4(value >> 8U), widen4(value >> 4U), widen4(value), widen4(value >> 12U)};
}

// Pixels that are places in a palette, of 4 or 8 bits; the high nibble is the left one.
std::optional<Picture> indexed(ByteView palette, ByteView pixels, std::uint32_t width,
                               std::uint32_t height, bool whole_bytes) {
  Picture picture = blank_picture(width, height);
  if (palette.empty() || pixels.empty()) return std::nullopt;
  Cursor colours(palette);
  for (std::size_t i = 0; i < picture.pixels.size(); ++i) {
    const unsigned pair = to_u8(pixels[whole_bytes ? i : i / 2]);
    const unsigned index = whole_bytes ? pair : i % 2 == 0 ? pair >> 4U : pair & 15U;
    picture.pixels[i] = colour_of(colours.u16le(std::size_t{index} * 2));
  }
  return picture;
}

std::optional<Picture> eyecatch(Cursor& cursor, std::size_t at, unsigned kind) {
  constexpr std::size_t kPixels = std::size_t{kEyecatchWidth} * kEyecatchHeight;
  if (kind == 2)
    return indexed(cursor.bytes(at, 512), cursor.bytes(at + 512, kPixels), kEyecatchWidth,
                   kEyecatchHeight, true);
  if (kind == 3)
    return indexed(cursor.bytes(at, 32), cursor.bytes(at + 32, kPixels / 2), kEyecatchWidth,
                   kEyecatchHeight, false);
  const ByteView pixels = cursor.bytes(at, kPixels * 2);
  if (kind != 1 || pixels.empty()) return std::nullopt;
  Picture picture = blank_picture(kEyecatchWidth, kEyecatchHeight);
  Cursor stored(pixels);
  for (std::size_t i = 0; i < kPixels; ++i) picture.pixels[i] = colour_of(stored.u16le(i * 2));
  return picture;
}

Face icon_file_face(ByteView data) {
  Face face;
  Cursor cursor(data);
  const std::uint32_t colour = cursor.u32le(kColourPlace);
  if (colour != 0)
    if (auto picture =
            indexed(cursor.bytes(colour, 32),
                    cursor.bytes(std::uint64_t{colour} + 32, kPictureSize), kSide, kSide, false))
      face.pictures.push_back(std::move(*picture));
  const ByteView bits = cursor.bytes(cursor.u32le(kOneBitPlace), kOneBitSize);
  if (bits.empty()) return face;
  Picture picture = blank_picture(kSide, kSide);
  for (std::size_t i = 0; i < picture.pixels.size(); ++i) {
    const bool dark = (to_u8(bits[i / 8]) >> (7 - i % 8) & 1U) != 0;
    const auto grey = static_cast<std::uint8_t>(dark ? 0 : 255);
    picture.pixels[i] = {grey, grey, grey, 255};
  }
  face.pictures.push_back(std::move(picture));
  return face;
}

}  // namespace

Face dc_face(const Save& save) {
  const ByteView data = save.parts.front().data;
  const Entry entry = parse_entry(save.entry);
  if (entry.name == kIconFile) return icon_file_face(data);
  Face face;
  const auto header = parse_header(data, std::size_t{entry.header} * kBlockSize);
  if (!header) return face;
  Cursor cursor(data.subspan(header->start));
  const ByteView palette = cursor.bytes(kPalette, 32);
  std::size_t at = kPictures;
  for (std::uint32_t i = 0; i < header->icons; ++i, at += kPictureSize)
    if (auto picture = indexed(palette, cursor.bytes(at, kPictureSize), kSide, kSide, false))
      face.pictures.push_back(std::move(*picture));
  if (auto picture = eyecatch(cursor, at, header->eyecatch))
    face.pictures.push_back(std::move(*picture));
  return face;
}

}  // namespace bayswap
