#include "roms/gba_marker.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <string_view>

#include "bytes/cursor.h"

namespace bayswap {
namespace {

struct Marker {
  std::string_view text;
  const char* part;
  std::uint64_t size;
};

constexpr std::array<Marker, 6> kMarkers{{
    {"EEPROM_V", "eeprom", 0},
    {"SRAM_V", "sram", 0x8000},
    {"SRAM_F_V", "sram", 0x8000},
    {"FLASH_V", "flash", 0x10000},
    {"FLASH512_V", "flash", 0x10000},
    {"FLASH1M_V", "flash", 0x20000},
}};

constexpr std::uint32_t word_of(std::string_view text) {
  // The machine's own order, as memcpy loads it.
  return std::endian::native == std::endian::little
             ? static_cast<std::uint32_t>(static_cast<unsigned char>(text[0])) |
                   static_cast<std::uint32_t>(static_cast<unsigned char>(text[1])) << 8U |
                   static_cast<std::uint32_t>(static_cast<unsigned char>(text[2])) << 16U |
                   static_cast<std::uint32_t>(static_cast<unsigned char>(text[3])) << 24U
             : static_cast<std::uint32_t>(static_cast<unsigned char>(text[3])) |
                   static_cast<std::uint32_t>(static_cast<unsigned char>(text[2])) << 8U |
                   static_cast<std::uint32_t>(static_cast<unsigned char>(text[1])) << 16U |
                   static_cast<std::uint32_t>(static_cast<unsigned char>(text[0])) << 24U;
}

constexpr std::uint32_t kEepr = word_of("EEPR");
constexpr std::uint32_t kSram = word_of("SRAM");
constexpr std::uint32_t kFlas = word_of("FLAS");

std::optional<Chip> marker_at(ByteView rom, std::size_t at) {
  for (const Marker& marker : kMarkers) {
    const std::size_t end = at + marker.text.size();
    if (end >= rom.size()) continue;
    if (std::memcmp(rom.data() + at, marker.text.data(), marker.text.size()) != 0) continue;
    const std::uint8_t digit = to_u8(rom[end]);
    if (digit >= '0' && digit <= '9') return Chip{marker.part, marker.size};
  }
  return std::nullopt;
}

// True when one of the words may begin a marker. No branch inside, so that it runs in vectors.
bool block_has_candidate(const std::byte* block, std::size_t words) {
  std::uint32_t found = 0;
  for (std::size_t i = 0; i < words; ++i) {
    std::uint32_t word = 0;
    std::memcpy(&word, block + i * 4, sizeof word);
    found |= static_cast<std::uint32_t>(word == kEepr) | static_cast<std::uint32_t>(word == kSram) |
             static_cast<std::uint32_t>(word == kFlas);
  }
  return found != 0;
}

}  // namespace

std::optional<Chip> find_gba_chip(ByteView rom) {
  constexpr std::size_t kBlock = 4096;
  for (std::size_t block = 0; block < rom.size(); block += kBlock) {
    const std::size_t size = std::min(kBlock, rom.size() - block) / 4 * 4;
    if (!block_has_candidate(rom.data() + block, size / 4)) continue;
    for (std::size_t at = block; at < block + size; at += 4)
      if (auto chip = marker_at(rom, at)) return chip;
  }
  return std::nullopt;
}

}  // namespace bayswap
