#include "cli/render/picture.h"

#include <fmt/core.h>

#include <algorithm>

namespace bayswap::cli {
namespace {

// What shines through where a picture is transparent: dark enough for bright icons, and lighter
// than black outlines.
constexpr Colour kMat{58, 64, 74, 255};

unsigned channel(std::uint8_t value, std::uint8_t mat, std::uint8_t alpha) {
  return (static_cast<unsigned>(value) * alpha + static_cast<unsigned>(mat) * (255U - alpha)) /
         255U;
}

std::string code(const char* layer, const Colour& colour) {
  return fmt::format("\x1b[{};2;{};{};{}m", layer, channel(colour.red, kMat.red, colour.alpha),
                     channel(colour.green, kMat.green, colour.alpha),
                     channel(colour.blue, kMat.blue, colour.alpha));
}

Colour average(const Picture& picture, std::uint32_t left, std::uint32_t top, std::uint32_t right,
               std::uint32_t bottom) {
  unsigned red = 0;
  unsigned green = 0;
  unsigned blue = 0;
  unsigned alpha = 0;
  for (std::uint32_t y = top; y < bottom; ++y)
    for (std::uint32_t x = left; x < right; ++x) {
      const Colour& pixel = picture.pixels[std::size_t{y} * picture.width + x];
      red += pixel.red * unsigned{pixel.alpha};
      green += pixel.green * unsigned{pixel.alpha};
      blue += pixel.blue * unsigned{pixel.alpha};
      alpha += pixel.alpha;
    }
  const unsigned count = std::max(1U, (right - left) * (bottom - top));
  if (alpha == 0) return {0, 0, 0, 0};
  return {static_cast<std::uint8_t>(red / alpha), static_cast<std::uint8_t>(green / alpha),
          static_cast<std::uint8_t>(blue / alpha), static_cast<std::uint8_t>(alpha / count)};
}

}  // namespace

Picture fitted(const Picture& picture, std::uint32_t side) {
  const std::uint32_t longest = std::max(picture.width, picture.height);
  if (longest <= side) return picture;
  Picture small;
  small.width = std::max(1U, picture.width * side / longest);
  small.height = std::max(1U, picture.height * side / longest);
  for (std::uint32_t y = 0; y < small.height; ++y)
    for (std::uint32_t x = 0; x < small.width; ++x)
      small.pixels.push_back(
          average(picture, x * picture.width / small.width, y * picture.height / small.height,
                  (x + 1) * picture.width / small.width, (y + 1) * picture.height / small.height));
  return small;
}

std::vector<std::string> picture_lines(const Picture& picture, std::size_t columns) {
  std::vector<std::string> lines;
  for (std::uint32_t y = 0; y < picture.height; y += 2) {
    std::string line;
    for (std::uint32_t x = 0; x < picture.width; ++x) {
      const Colour upper = picture.pixels[std::size_t{y} * picture.width + x];
      const Colour lower = y + 1 < picture.height
                               ? picture.pixels[std::size_t{y + 1} * picture.width + x]
                               : Colour{0, 0, 0, 0};
      line += code("38", upper) + code("48", lower) + "▀";
    }
    line += "\x1b[0m";
    if (picture.width < columns) line.append(columns - picture.width, ' ');
    lines.push_back(std::move(line));
  }
  return lines;
}

Picture gradient(const std::array<Colour, 4>& corners, std::uint32_t side) {
  Picture picture{side, side, {}};
  const auto mixed = [&](auto member, std::uint32_t x, std::uint32_t y) {
    const std::uint32_t last = side - 1;
    const auto value = [&](std::size_t i) { return std::uint32_t{corners[i].*member}; };
    const std::uint32_t upper = value(0) * (last - x) + value(1) * x;
    const std::uint32_t lower = value(2) * (last - x) + value(3) * x;
    return static_cast<std::uint8_t>((upper * (last - y) + lower * y) / (last * last));
  };
  for (std::uint32_t y = 0; y < side; ++y)
    for (std::uint32_t x = 0; x < side; ++x)
      picture.pixels.push_back({mixed(&Colour::red, x, y), mixed(&Colour::green, x, y),
                                mixed(&Colour::blue, x, y), 255});
  return picture;
}

Picture portrait(const Face& face, std::uint32_t side) {
  if (face.icon < face.pictures.size()) return fitted(face.pictures[face.icon], side);
  if (face.backdrop) return gradient(*face.backdrop, side);
  return {};
}

}  // namespace bayswap::cli
