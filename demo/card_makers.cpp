#include "demo/card_makers.h"

#include <array>

#include "demo/makers.h"

namespace bayswap::demo {
namespace {

// Five bits of each colour, red in the low ones (ps1) or in the high ones (gc).
unsigned packed(unsigned index, bool red_low) {
  const auto& [red, green, blue] = art_colour(index);
  return red_low ? red | green << 5U | blue << 10U : red << 10U | green << 5U | blue;
}

unsigned gc_colour(unsigned index) {
  return index == 0 ? 0 : 0x8000U | packed(index, false);
}

// A picture in tiles of 4×4 with 16 bits a pixel, the drawing twice as large, repeated sideways.
void store_direct(Bytes& bytes, std::size_t at, std::size_t width, Art art) {
  for (std::size_t top = 0; top < 32; top += 4)
    for (std::size_t left = 0; left < width; left += 4)
      for (std::size_t y = top; y < top + 4; ++y)
        for (std::size_t x = left; x < left + 4; ++x, at += 2)
          store(bytes, at, gc_colour(index_at(art, x / 2 % kArtSide, y / 2)), 2, true);
}

void store_indexed(Bytes& bytes, std::size_t at, Art art) {
  for (std::size_t top = 0; top < 32; top += 4)
    for (std::size_t left = 0; left < 32; left += 8)
      for (std::size_t y = top; y < top + 4; ++y)
        for (std::size_t x = left; x < left + 8; ++x, ++at)
          bytes[at] = static_cast<std::byte>(index_at(art, x / 2, y / 2));
}

Time day(std::uint32_t seed) {
  return Time{std::chrono::sys_days{std::chrono::year{2026} / 1 / 3}} +
         std::chrono::hours{seed * 31} + std::chrono::minutes{seed * 7 % 60};
}

}  // namespace

Save ps1_save(const std::string& name, std::string_view title, std::size_t blocks, Art art,
              std::uint32_t seed) {
  constexpr std::size_t kPalette = 0x60;
  constexpr std::size_t kPictures = 0x80;
  Bytes data = progress("PAPER OBSERVATORY", blocks * 8192, seed, std::byte{0});
  store_text(data, 0, "SC\x12", 3);
  data[3] = static_cast<std::byte>(blocks);
  store_text(data, 4, title, 64);
  for (unsigned i = 0; i < kArtColours; ++i)
    store(data, kPalette + i * 2, i == 1 ? 0x8000U : packed(i, true), 2, false);
  // Two pictures: the second one mirrored.
  for (std::size_t picture = 0; picture < 2; ++picture)
    for (std::size_t y = 0; y < kArtSide; ++y)
      for (std::size_t x = 0; x < kArtSide; x += 2) {
        const auto pixel = [&](std::size_t column) {
          return index_at(art, picture == 0 ? column : kArtSide - 1 - column, y);
        };
        data[kPictures + picture * 128 + y * 8 + x / 2] =
            static_cast<std::byte>(pixel(x) | pixel(x + 1) << 4U);
      }
  Save save;
  save.system = System::ps1;
  save.kind = Kind::card_save;
  save.name = name;
  save.parts.push_back({"data", std::move(data), false, {}});
  return save;
}

Save ps2_save(const std::string& name, const std::string& first_line,
              const std::string& second_line, std::size_t size, std::uint32_t sky,
              std::uint32_t seed) {
  Bytes icon(964);
  store_text(icon, 0, "PS2D", 4);
  store(icon, 6, first_line.size(), 2, false);
  for (std::size_t corner = 0; corner < 4; ++corner)
    for (std::size_t channel = 0; channel < 3; ++channel) {
      const std::uint32_t full = sky >> (16 - 8 * channel) & 0xFFU;
      store(icon, 0x10 + corner * 16 + channel * 4, full * (corner < 2 ? 4 : 1) / 4, 4, false);
    }
  store_text(icon, 0xC0, first_line + second_line, 68);
  for (std::size_t i = 0; i < 3; ++i) store_text(icon, 0x104 + i * 64, "signal.icn", 64);
  Save save;
  save.system = System::ps2;
  save.kind = Kind::card_save;
  save.name = name;
  save.modified = day(seed);
  save.parts.push_back({"icon.sys", std::move(icon), false, {}});
  save.parts.push_back({"signal.icn", progress("ICON", 9000, seed + 1, std::byte{0}), false, {}});
  save.parts.push_back({name, progress("VELVET SIGNAL", size, seed, std::byte{0}), false, {}});
  return save;
}

Save gc_save(const std::string& code, const std::string& name, const std::string& first_line,
             const std::string& second_line, std::size_t blocks, Art art, std::uint32_t seed) {
  constexpr std::size_t kComment = 0;
  constexpr std::size_t kBanner = 0x40;
  constexpr std::size_t kFirstIcon = kBanner + std::size_t{96} * 32 * 2;
  constexpr std::size_t kSecondIcon = kFirstIcon + std::size_t{32} * 32 * 2;
  constexpr std::size_t kPalette = kSecondIcon + std::size_t{32} * 32;
  Bytes data = progress("KITE FOUNDRY", blocks * 8192, seed, std::byte{0});
  if (data.size() < 2 * 8192) data.resize(2 * 8192);
  store_text(data, kComment, first_line, 32);
  store_text(data, kComment + 32, second_line, 32);
  store_direct(data, kBanner, 96, art);
  store_direct(data, kFirstIcon, 32, art);
  store_indexed(data, kSecondIcon, art);
  for (unsigned i = 0; i < 256; ++i)
    store(data, kPalette + std::size_t{i} * 2, i < kArtColours ? gc_colour(i) : 0, 2, true);
  Bytes entry(64);
  store_text(entry, 0, code, 4);
  store_text(entry, 4, "7Q", 2);
  entry[6] = std::byte{0xFF};
  entry[7] = std::byte{2};
  store_text(entry, 8, name, 32);
  const auto seconds =
      (day(seed) - Time{std::chrono::sys_days{std::chrono::year{2000} / 1 / 1}}).count();
  store(entry, 0x28, static_cast<std::uint64_t>(seconds), 4, true);
  store(entry, 0x2C, kBanner, 4, true);
  store(entry, 0x30, 1U << 2U | 2U, 2, true);
  store(entry, 0x32, 3U << 2U | 3U, 2, true);
  entry[0x34] = std::byte{4};
  store(entry, 0x38, data.size() / 8192, 2, true);
  store(entry, 0x3A, 0xFFFF, 2, true);
  store(entry, 0x3C, kComment, 4, true);
  Save save;
  save.system = System::gc;
  save.kind = Kind::card_save;
  save.name = name;
  save.game.code = code;
  save.game.maker = "7Q";
  save.entry = std::move(entry);
  save.parts.push_back({"data", std::move(data), false, {}});
  return save;
}

Bytes card_with(std::string_view layout, std::uint32_t blocks, const std::vector<Save>& saves) {
  const auto found = find_layout(layout);
  const CardLayout* card = found ? as_card(*found) : nullptr;
  if (card == nullptr) return {};
  const auto fresh = card->format(blocks);
  if (!fresh) return {};
  auto filled = card->change(*fresh, {{}, saves});
  return filled ? std::move(filled->bytes) : Bytes{};
}

Bytes card_without(std::string_view layout, const Bytes& card, std::size_t place) {
  const auto found = find_layout(layout);
  auto changed = as_card(*found)->change(card, {{place}, {}});
  return changed ? std::move(changed->bytes) : Bytes{};
}

}  // namespace bayswap::demo
