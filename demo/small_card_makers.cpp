// Makers of saves for the small cards: visual memory and backup memory.
#include "demo/card_makers.h"
#include "demo/makers.h"

namespace bayswap::demo {
namespace {

constexpr std::size_t kBlock = 512;
constexpr std::size_t kIconSide = 32;
constexpr std::size_t kEyecatchWidth = 72;
constexpr std::size_t kEyecatchHeight = 56;

// Four bits each of opacity, red, green and blue.
unsigned argb4444(unsigned index) {
  if (index == 0) return 0;
  const auto& [red, green, blue] = art_colour(index);
  return 0xF000U | red >> 1U << 8U | green >> 1U << 4U | blue >> 1U;
}

void store_palette(Bytes& bytes, std::size_t at) {
  for (unsigned i = 0; i < 16; ++i)
    store(bytes, at + std::size_t{i} * 2, i < kArtColours ? argb4444(i) : 0, 2, false);
}

// The drawing twice as large, high nibble left.
void store_icon(Bytes& bytes, std::size_t at, Art art, bool mirrored) {
  for (std::size_t y = 0; y < kIconSide; ++y)
    for (std::size_t x = 0; x < kIconSide; x += 2, ++at) {
      const std::size_t column = mirrored ? kArtSide - 1 - x / 2 : x / 2;
      bytes[at] = static_cast<std::byte>(index_at(art, column, y / 2) * 17U);
    }
}

unsigned crc_1021(const Bytes& bytes, std::size_t size) {
  unsigned crc = 0;
  for (std::size_t i = 0; i < size; ++i) {
    crc ^= std::to_integer<unsigned>(bytes[i]) << 8U;
    for (int bit = 0; bit < 8; ++bit) crc = (crc & 0x8000U) != 0 ? crc << 1U ^ 0x1021U : crc << 1U;
    crc &= 0xFFFFU;
  }
  return crc;
}

Time evening(std::uint32_t seed) {
  return Time{std::chrono::sys_days{std::chrono::year{2026} / 2 / 1}} +
         std::chrono::hours{19 + 27 * seed} + std::chrono::minutes{seed * 11 % 60};
}

Save save_of(System system, const std::string& name, Bytes data) {
  Save save;
  save.system = system;
  save.kind = Kind::card_save;
  save.name = name;
  save.parts.push_back({"data", std::move(data), false, {}});
  return save;
}

}  // namespace

Save dc_save(const std::string& name, std::string_view short_text, std::string_view long_text,
             std::size_t size, Art art, bool eyecatch, std::uint32_t seed) {
  constexpr std::size_t kIcons = 2;
  constexpr std::size_t kPictures = 0x80;
  const std::size_t after_icons = kPictures + kIcons * kBlock;
  const std::size_t eyecatch_size = eyecatch ? 32 + kEyecatchWidth * kEyecatchHeight / 2 : 0;
  Bytes data(after_icons + eyecatch_size);
  store_text(data, 0, short_text, 16);
  store_text(data, 0x10, long_text, 32);
  store_text(data, 0x30, "REGATTA", 16);
  store(data, 0x40, kIcons, 2, false);
  store(data, 0x42, 10, 2, false);
  store(data, 0x44, eyecatch ? 3 : 0, 2, false);
  store(data, 0x48, size, 4, false);
  store_palette(data, 0x60);
  store_icon(data, kPictures, art, false);
  store_icon(data, kPictures + kBlock, art, true);
  if (eyecatch) {
    store_palette(data, after_icons);
    for (std::size_t y = 0; y < kEyecatchHeight; ++y)
      for (std::size_t x = 0; x < kEyecatchWidth; x += 2)
        data[after_icons + 32 + (y * kEyecatchWidth + x) / 2] =
            static_cast<std::byte>(index_at(art, x / 4 % kArtSide, y / 4) * 17U);
  }
  const Bytes played = progress("POCKET REGATTA", size, seed, std::byte{0});
  data.insert(data.end(), played.begin(), played.end());
  store(data, 0x46, crc_1021(data, data.size()), 2, false);
  data.resize((data.size() + kBlock - 1) / kBlock * kBlock);
  Save save = save_of(System::dc, name, std::move(data));
  save.modified = evening(seed);
  return save;
}

Save dc_icon_file(Art art) {
  constexpr std::size_t kOneBit = 0x20;
  constexpr std::size_t kColour = 0xA0;
  Bytes data(2 * kBlock);
  store_text(data, 0, "REGATTA CARD", 16);
  store(data, 0x10, kOneBit, 4, false);
  store(data, 0x14, kColour, 4, false);
  for (std::size_t y = 0; y < kIconSide; ++y)
    for (std::size_t x = 0; x < kIconSide; ++x) {
      const unsigned index = index_at(art, x / 2, y / 2);
      if (index == 1 || index == 2)
        data[kOneBit + y * 4 + x / 8] |= std::byte{0x80} >> static_cast<int>(x % 8);
    }
  store_palette(data, kColour);
  store_icon(data, kColour + 32, art, false);
  Save save = save_of(System::dc, "ICONDATA_VMS", std::move(data));
  save.modified = evening(1);
  return save;
}

Save saturn_save(const std::string& name, const std::string& comment, std::size_t size,
                 std::uint32_t seed) {
  Bytes header(30);
  store_text(header, 0, name, 11);
  header[11] = std::byte{1};
  store_text(header, 12, comment, 10);
  const auto minutes =
      std::chrono::duration_cast<std::chrono::minutes>(
          evening(seed) - Time{std::chrono::sys_days{std::chrono::year{1980} / 1 / 1}})
          .count();
  store(header, 22, static_cast<std::uint64_t>(minutes), 4, true);
  store(header, 26, size, 4, true);
  Save save = save_of(System::saturn, name, progress("BRASS MERIDIAN", size, seed, std::byte{0}));
  save.comment = comment;
  save.modified = evening(seed);
  save.entry = std::move(header);
  return save;
}

Save pce_save(const std::string& name, std::size_t size, std::uint32_t seed) {
  return save_of(System::pce, name, progress("COBALT", size, seed, std::byte{0}));
}

}  // namespace bayswap::demo
