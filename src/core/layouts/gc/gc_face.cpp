#include "core/bytes/cursor.h"
#include "core/layouts/common/pixels.h"
#include "core/layouts/gc/gc_format.h"

namespace bayswap {
namespace {

constexpr std::uint32_t kBannerWidth = 96;
constexpr std::uint32_t kHeight = 32;
constexpr std::uint32_t kIconWidth = 32;
constexpr std::size_t kMostIcons = 8;
constexpr std::size_t kPaletteSize = 512;  // 256 × RGB5A3
constexpr unsigned kPalette = 1;
constexpr unsigned kDirect = 2;
constexpr unsigned kOwnPalette = 3;

Colour rgb5a3(unsigned stored) {
  if ((stored & 0x8000U) != 0)
    return {widen5(stored >> 10U), widen5(stored >> 5U), widen5(stored), 255};
  const unsigned alpha = stored >> 12U & 7U;
  return {widen4(stored >> 8U), widen4(stored >> 4U), widen4(stored),
          static_cast<std::uint8_t>(alpha << 5U | alpha << 2U | alpha >> 1U)};
}

// Hands each pixel of a tiled picture to `set`, in the order in which they are stored.
template <class Set>
void for_each_pixel(const Picture& picture, std::uint32_t tile_width, std::uint32_t tile_height,
                    const Set& set) {
  std::size_t stored = 0;
  for (std::uint32_t top = 0; top < picture.height; top += tile_height)
    for (std::uint32_t left = 0; left < picture.width; left += tile_width)
      for (std::uint32_t y = top; y < top + tile_height; ++y)
        for (std::uint32_t x = left; x < left + tile_width; ++x)
          set(std::size_t{y} * picture.width + x, stored++);
}

std::size_t stored_size(unsigned format, std::uint32_t width) {
  const std::size_t pixels = std::size_t{width} * kHeight;
  if (format == kDirect) return pixels * 2;
  return pixels + (format == kOwnPalette ? kPaletteSize : 0);
}

std::optional<Picture> decode(ByteView data, std::uint64_t at, std::uint32_t width, unsigned format,
                              std::uint64_t palette_at) {
  const auto stored = slice(data, at, stored_size(format, width));
  if (!stored) return std::nullopt;
  Picture picture = blank_picture(width, kHeight);
  Cursor pixels(*stored);
  if (format == kDirect) {
    for_each_pixel(picture, 4, 4, [&](std::size_t place, std::size_t i) {
      picture.pixels[place] = rgb5a3(pixels.u16be(i * 2));
    });
    return picture;
  }
  const auto palette = slice(data, palette_at, kPaletteSize);
  if (!palette) return std::nullopt;
  Cursor colours(*palette);
  for_each_pixel(picture, 8, 4, [&](std::size_t place, std::size_t i) {
    picture.pixels[place] = rgb5a3(colours.u16be(std::uint64_t{pixels.u8(i)} * 2));
  });
  return picture;
}

}  // namespace

Face gc_face(const Save& save) {
  using namespace gc;
  Face face;
  if (save.entry.size() != kEntrySize) return face;
  Cursor entry(save.entry);
  const ByteView data = save.parts.front().data;
  std::uint64_t at = entry.u32be(kPictureOffset);
  if (at == 0xFFFFFFFFU) return face;
  const unsigned banner = entry.u8(kBanner) & 3U;
  if (banner == kPalette || banner == kDirect) {
    const std::size_t size = stored_size(banner, kBannerWidth);
    if (auto picture = decode(data, at, kBannerWidth, banner, at + size)) {
      face.pictures.push_back(std::move(*picture));
      face.icon = 1;
    }
    at += size + (banner == kPalette ? kPaletteSize : 0);
  }
  const unsigned formats = entry.u16be(kIconFormats);
  const unsigned speeds = entry.u16be(kIconSpeeds);
  const auto format_of = [&](std::size_t i) { return formats >> (2 * i) & 3U; };
  std::size_t count = 0;
  std::uint64_t shared_palette = at;
  while (count < kMostIcons && (speeds >> (2 * count) & 3U) != 0) {
    if (format_of(count) != 0) shared_palette += stored_size(format_of(count), kIconWidth);
    ++count;
  }
  for (std::size_t i = 0; i < count; ++i) {
    const unsigned format = format_of(i);
    if (format == 0) continue;
    const std::size_t size = stored_size(format, kIconWidth);
    const std::uint64_t palette = format == kOwnPalette ? at + size - kPaletteSize : shared_palette;
    if (auto picture = decode(data, at, kIconWidth, format, palette))
      face.pictures.push_back(std::move(*picture));
    at += size;
  }
  if (face.icon >= face.pictures.size()) face.icon = 0;
  return face;
}

}  // namespace bayswap
