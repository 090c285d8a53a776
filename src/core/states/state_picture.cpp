#include "core/states/state_picture.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <set>
#include <string_view>
#include <vector>

#include "core/bytes/cursor.h"
#include "core/packing/png.h"

namespace bayswap {
namespace {

constexpr std::uint32_t kLargestSide = 1024;  // pixels
constexpr std::uint32_t kLeastSide = 40;
constexpr std::size_t kSearched = 64U << 20U;  // bytes of the content
constexpr std::size_t kMostHeaders = 16;

std::optional<Picture> png_in(ByteView content) {
  constexpr std::string_view kMark = "\x89PNG\r\n\x1a\n";
  const std::string_view text(reinterpret_cast<const char*>(content.data()),
                              std::min(content.size(), kSearched));
  std::size_t at = text.find(kMark);
  for (std::size_t tried = 0; at != std::string_view::npos && tried < kMostHeaders; ++tried) {
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

// Neighbours are alike, yet not all the same.
bool has_areas(const Picture& picture) {
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

// Each pixel beside the one `apart` pixels further on in memory.
std::uint64_t difference(const Picture& picture, std::size_t apart) {
  std::uint64_t sum = 0;
  for (std::size_t at = 0; at + apart < picture.pixels.size(); ++at)
    sum += static_cast<std::uint64_t>(distance(picture.pixels[at], picture.pixels[at + apart]));
  return sum;
}

// Rows are like the rows above them, at this width and at none near it. In a table or a wave the
// width makes no difference.
bool rows_fit_width(const Picture& picture) {
  const std::uint64_t at_width = difference(picture, picture.width);
  for (const std::size_t more : {1U, 3U, 5U, 8U, 13U})
    for (const std::size_t other : {picture.width + more, picture.width - more})
      if (at_width * (100 + more) >= difference(picture, other) * 100) return false;
  // Stripes differ in one direction and hardly in the other.
  const std::uint64_t across = difference(picture, 1);
  return across <= at_width * 4 && at_width <= across * 4;
}

// Lines and columns that differ from each other, in more than a few colours.
bool is_rich(const Picture& picture) {
  constexpr std::size_t kLeastColours = 6;
  using Numbers = std::vector<std::uint32_t>;
  std::set<std::uint32_t> colours;
  std::set<Numbers> rows;
  std::vector<Numbers> columns(picture.width);
  for (std::uint32_t y = 0; y < picture.height; ++y) {
    Numbers row;
    for (std::uint32_t x = 0; x < picture.width; ++x) {
      const Colour& colour = picture.pixels[std::size_t{y} * picture.width + x];
      row.push_back(unsigned{colour.red} << 16U | unsigned{colour.green} << 8U | colour.blue);
      columns[x].push_back(row.back());
      colours.insert(row.back());
    }
    rows.insert(std::move(row));
  }
  const std::set<Numbers> unlike(columns.begin(), columns.end());
  return colours.size() >= kLeastColours && rows.size() * 16 >= picture.height &&
         unlike.size() * 16 >= picture.width;
}

// The fourth byte of a pixel is how opaque it is, or unused: the same everywhere.
bool fourth_is_constant(ByteView pixels) {
  for (std::size_t at = 7; at < pixels.size(); at += 4)
    if (pixels[at] != pixels[3]) return false;
  return true;
}

bool is_drawn(const Picture& picture) {
  return has_areas(picture) && rows_fit_width(picture) && is_rich(picture);
}

// Screens are neither towers nor ribbons.
bool is_plausible(const Size& size) {
  return size.width >= kLeastSide && size.height >= kLeastSide && size.width <= kLargestSide &&
         size.height <= kLargestSide && size.width * 10 <= size.height * 27 &&
         size.height * 10 <= size.width * 17;
}

std::optional<Picture> raw_picture_at(ByteView content, std::size_t at) {
  for (const Size& size : sizes_at(content, at)) {
    if (!is_plausible(size)) continue;
    const std::size_t count = std::size_t{size.width} * size.height;
    for (const std::size_t depth : {std::size_t{2}, std::size_t{3}, std::size_t{4}}) {
      const auto pixels = slice(content, at + size.bytes, count * depth);
      if (!pixels || (depth == 4 && !fourth_is_constant(*pixels))) continue;
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
