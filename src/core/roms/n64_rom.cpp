#include <array>

#include "core/bytes/cursor.h"
#include "core/bytes/order.h"
#include "core/bytes/text.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace n64_rom {
namespace {

constexpr std::size_t kHeaderSize = 0x40;
constexpr std::size_t kTitle = 0x20;  // 20 bytes
constexpr std::size_t kTitleSize = 20;
constexpr std::size_t kCode = 0x3B;  // media, two id letters, region
constexpr std::size_t kVersion = 0x3F;

// The first word tells the byte order of the whole file.
constexpr std::uint32_t kNative = 0x80371240;
constexpr std::uint32_t kSwapped16 = 0x37804012;
constexpr std::uint32_t kSwapped32 = 0x40123780;

std::size_t unit_of(std::uint32_t first_word) {
  switch (first_word) {
    case kNative: return 1;
    case kSwapped16: return 2;
    case kSwapped32: return 4;
    default: return 0;
  }
}

// Homebrew says its chip in the high nibble of the version byte.
std::vector<Chip> homebrew_chips(unsigned nibble) {
  switch (nibble) {
    case 1: return {{"eeprom", 512}};
    case 2: return {{"eeprom", 0x800}};
    case 3: return {{"sram", 0x8000}};
    case 4: return {{"sram", 0x18000}};
    case 5: return {{"flash", 0x20000}};
    case 6: return {{"sram", 0x20000}};
    default: return {};
  }
}

}  // namespace
}  // namespace n64_rom

std::optional<RomInfo> read_n64_rom(const RomBytes& rom) {
  using namespace n64_rom;
  const ByteView file = rom.bytes;
  const std::size_t unit = unit_of(Cursor(file).u32be(0));
  if (unit == 0 || file.size() < kHeaderSize) return std::nullopt;
  Bytes header(file.begin(), file.begin() + kHeaderSize);
  reverse_units(header, unit);
  Cursor cursor(header);
  RomInfo info;
  info.system = System::n64;
  info.game.title = ascii_text(cursor.bytes(kTitle, kTitleSize));
  const ByteView code = cursor.bytes(kCode, 4);
  if (is_game_code(code)) {
    info.game.code = ascii_text(code);
    info.game.region = region_of_letter(info.game.code[3]);
  }
  const std::uint8_t version = cursor.u8(kVersion);
  info.version = version;
  if (info.game.code.substr(0, 3).ends_with("ED")) {
    info.shared_code = true;
    info.version = 0;
    info.chips = homebrew_chips(version >> 4U);
    constexpr unsigned kRegionFree = 2;
    if ((version & kRegionFree) != 0) info.game.region = Region::any;
  }
  return info;
}

Bytes in_native_order(Bytes rom) {
  if (const std::size_t unit = n64_rom::unit_of(Cursor(rom).u32be(0)); unit > 1)
    reverse_units(rom, unit);
  return rom;
}

}  // namespace bayswap
