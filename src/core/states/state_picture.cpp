#include "core/states/state_picture.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <string_view>

#include "core/bytes/cursor.h"
#include "core/packing/png.h"

namespace bayswap {
namespace {

constexpr std::uint32_t kLargestSide = 1024;  // pixels
constexpr std::uint32_t kLeastSide = 32;
constexpr std::size_t kSearched = 64U << 20U;  // bytes of the content
constexpr std::size_t kMostTries = 16;

std::optional<Picture> png_in(ByteView content) {
  constexpr std::string_view kMark = "\x89PNG\r\n\x1a\n";
  const std::string_view text(reinterpret_cast<const char*>(content.data()),
                              std::min(content.size(), kSearched));
  std::size_t at = text.find(kMark);
  for (std::size_t tried = 0; at != std::string_view::npos && tried < kMostTries; ++tried) {
    auto picture = picture_of_png(content.subspan(at), kLargestSide);
    if (picture && picture->width >= 2 && picture->height >= 2) return std::move(*picture);
    at = text.find(kMark, at + 1);
  }
  return std::nullopt;
}

// Width and height, as a program may write them.
struct Size {
  std::size_t bytes = 0;  // of both numbers
  std::uint32_t width = 0;
  std::uint32_t height = 0;
};

std::array<Size, 4> sizes_at(ByteView content, std::size_t at) {
  Cursor cursor(content);
  return {{{4, cursor.u16le(at), cursor.u16le(at + 2)},
           {4, cursor.u16be(at), cursor.u16be(at + 2)},
           {8, cursor.u32le(at), cursor.u32le(at + 4)},
           {8, cursor.u32be(at), cursor.u32be(at + 4)}}};
}

Colour pixel_at(ByteView pixels, std::size_t depth, std::size_t place) {
  const std::size_t at = place * depth;
  if (depth > 2) return {to_u8(pixels[at]), to_u8(pixels[at + 1]), to_u8(pixels[at + 2]), 255};
  const unsigned value = to_u8(pixels[at]) | unsigned{to_u8(pixels[at + 1])} << 8U;
  // Five bits of red, six of green, five of blue.
  const auto wide = [](unsigned five) {
    return static_cast<std::uint8_t>(five << 3U | five >> 2U);
  };
  const unsigned green = value >> 5U & 0x3FU;
  return {wide(value >> 11U), static_cast<std::uint8_t>(green << 2U | green >> 4U),
          wide(value & 0x1FU), 255};
}

int distance(const Colour& a, const Colour& b) {
  return std::abs(a.red - b.red) + std::abs(a.green - b.green) + std::abs(a.blue - b.blue);
}

// Screens are drawn: neighbours are alike, yet not all the same.
bool is_drawn(const Picture& picture) {
  constexpr int kNear = 24;
  std::size_t alike = 0;
  std::size_t same = 0;
  std::size_t count = 0;
  for (std::uint32_t y = 0; y + 1 < picture.height; ++y)
    for (std::uint32_t x = 0; x + 1 < picture.width; ++x) {
      const std::size_t at = std::size_t{y} * picture.width + x;
      const int right = distance(picture.pixels[at], picture.pixels[at + 1]);
      const int below = distance(picture.pixels[at], picture.pixels[at + picture.width]);
      alike += right <= kNear && below <= kNear ? 1 : 0;
      same += right == 0 && below == 0 ? 1 : 0;
      ++count;
    }
  return alike * 10 >= count * 7 && same * 100 < count * 98;
}

std::optional<Picture> raw_picture_at(ByteView content, std::size_t at) {
  for (const Size& size : sizes_at(content, at)) {
    if (size.width < kLeastSide || size.height < kLeastSide || size.width > kLargestSide ||
        size.height > kLargestSide || size.width > size.height * 4 || size.height > size.width * 4)
      continue;
    const std::size_t count = std::size_t{size.width} * size.height;
    for (const std::size_t depth : {std::size_t{2}, std::size_t{3}, std::size_t{4}}) {
      const auto pixels = slice(content, at + size.bytes, count * depth);
      if (!pixels) continue;
      Picture picture{size.width, size.height, {}};
      picture.pixels.reserve(count);
      for (std::size_t i = 0; i < count; ++i) picture.pixels.push_back(pixel_at(*pixels, depth, i));
      if (is_drawn(picture)) return picture;
    }
  }
  return std::nullopt;
}

// Headers are short: a picture's size stands near the beginning.
std::optional<Picture> raw_picture_in(ByteView content) {
  constexpr std::size_t kNearStart = 256;
  for (std::size_t at = 0; at < std::min(kNearStart, content.size()); ++at)
    if (auto picture = raw_picture_at(content, at)) return picture;
  return std::nullopt;
}

}  // namespace

std::optional<Picture> picture_in(ByteView content) {
  if (auto png = png_in(content)) return png;
  return raw_picture_in(content);
}

}  // namespace bayswap
