#include "core/roms/gba_marker.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <string_view>

#include "core/bytes/cursor.h"

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

// The bits that the three words share: half of them, so one comparison passes few blocks by chance.
constexpr std::uint32_t kCommonBits = ~((kEepr ^ kSram) | (kEepr ^ kFlas));
constexpr std::uint32_t kCommonValue = kEepr & kCommonBits;

std::optional<Chip> marker_at(ByteView rom, std::size_t at) {
  std::uint32_t word = 0;
  std::memcpy(&word, rom.data() + at, sizeof word);
  if (word != kEepr && word != kSram && word != kFlas) return std::nullopt;
  for (const Marker& marker : kMarkers) {
    const std::size_t end = at + marker.text.size();
    if (end >= rom.size()) continue;
    if (std::memcmp(rom.data() + at, marker.text.data(), marker.text.size()) != 0) continue;
    const std::uint8_t digit = to_u8(rom[end]);
    if (digit >= '0' && digit <= '9') return Chip{marker.part, marker.size};
  }
  return std::nullopt;
}

// Eight words at a time, in whatever registers the processor has for them.
using Words = std::uint32_t __attribute__((vector_size(32)));
constexpr std::size_t kUnrolled = 4;
constexpr std::size_t kStep = sizeof(Words) * kUnrolled;

// True when one of the words may begin a marker. `size` is a multiple of kStep.
[[gnu::always_inline]] inline bool any_candidate(const std::byte* block, std::size_t size) {
  Words found{};
  for (std::size_t at = 0; at < size; at += kStep) {
    for (std::size_t i = 0; i < kUnrolled; ++i) {
      Words words;
      std::memcpy(&words, block + at + i * sizeof words, sizeof words);
      found |= (words & kCommonBits) == kCommonValue;
    }
  }
  std::uint32_t any = 0;
  for (std::size_t i = 0; i < 8; ++i) any |= found[i];
  return any != 0;
}

bool any_candidate_anywhere(const std::byte* block, std::size_t size) {
  return any_candidate(block, size);
}

using Scan = bool (*)(const std::byte*, std::size_t);

#if defined(__x86_64__)
// The same loop for wider vectors, where the processor has them.
[[gnu::target("avx2")]] bool any_candidate_wide(const std::byte* block, std::size_t size) {
  return any_candidate(block, size);
}
Scan best_scan() {
  return __builtin_cpu_supports("avx2") ? any_candidate_wide : any_candidate_anywhere;
}
#else
Scan best_scan() {
  return any_candidate_anywhere;
}
#endif

}  // namespace

std::optional<Chip> find_gba_chip(ByteView rom) {
  static const Scan kScan = best_scan();
  constexpr std::size_t kBlock = 4096;
  for (std::size_t block = 0; block < rom.size(); block += kBlock) {
    const std::size_t size = std::min(kBlock, rom.size() - block);
    // The rest behind the last whole step is looked at word by word.
    if (size % kStep == 0 && !kScan(rom.data() + block, size)) continue;
    for (std::size_t at = block; at + 4 <= block + size; at += 4)
      if (auto chip = marker_at(rom, at)) return chip;
  }
  return std::nullopt;
}

}  // namespace bayswap
