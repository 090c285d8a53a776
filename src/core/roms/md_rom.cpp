#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace md_rom {
namespace {

constexpr std::size_t kMagic = 0x100;  // "SEGA"
constexpr std::size_t kTitleHome = 0x120;
constexpr std::size_t kTitleAbroad = 0x150;
constexpr std::size_t kTitleSize = 48;
constexpr std::size_t kSerial = 0x180;   // 14
constexpr std::size_t kRamMark = 0x1B0;  // "RA"
constexpr std::size_t kRamType = 0x1B2;
constexpr std::size_t kRamKind = 0x1B3;
constexpr std::size_t kRamStart = 0x1B4;  // u32be
constexpr std::size_t kRamEnd = 0x1B8;    // u32be, the last byte
constexpr std::size_t kRegion = 0x1F0;    // 3
constexpr std::size_t kHeaderEnd = 0x200;
constexpr std::uint64_t kLargestChip = 0x100000;

Region region_of_field(ByteView field) {
  std::string text = ascii_text(field);
  text.erase(std::remove(text.begin(), text.end(), ' '), text.end());
  bool japan = text.find('J') != std::string::npos;
  bool america = text.find('U') != std::string::npos;
  bool europe = text.find('E') != std::string::npos;
  // One hex digit of bits instead of letters; a lone E is the letter.
  if (!japan && !america && !europe && text.size() == 1) {
    const char c = text[0];
    const unsigned bits = c >= '0' && c <= '9'   ? static_cast<unsigned>(c - '0')
                          : c >= 'A' && c <= 'F' ? static_cast<unsigned>(c - 'A' + 10)
                                                 : 0;
    japan = (bits & 1U) != 0;
    america = (bits & 4U) != 0;
    europe = (bits & 8U) != 0;
  }
  const int count = int{japan} + int{america} + int{europe};
  if (count > 1) return Region::any;
  return japan     ? Region::japan
         : america ? Region::america
         : europe  ? Region::europe
                   : Region::unknown;
}

std::vector<Chip> chips_of(Cursor& cursor) {
  if (ascii_text(cursor.bytes(kRamMark, 2)) != "RA") return {};
  const std::uint8_t type = cursor.u8(kRamType);
  if (type == 0xE8 && cursor.u8(kRamKind) == 0x40) return {{"eeprom", 0}};
  constexpr std::uint8_t kKept = 0x40;
  if ((type & kKept) == 0) return {};
  const std::uint64_t start = cursor.u32be(kRamStart);
  const std::uint64_t end = cursor.u32be(kRamEnd);
  if (end < start || end - start >= kLargestChip) return {{"sram", 0}};
  const bool both = (type & 0x18U) == 0;
  return {{"sram", both ? end - start + 1 : (end - start) / 2 + 1}};
}

// Words of titles are padded to columns with runs of blanks.
std::string squeezed(std::string text) {
  text.erase(
      std::unique(text.begin(), text.end(), [](char a, char b) { return a == ' ' && b == ' '; }),
      text.end());
  return text;
}

}  // namespace
}  // namespace md_rom

std::optional<RomInfo> read_md_rom(const RomBytes& rom) {
  using namespace md_rom;
  Cursor cursor(rom.bytes);
  if (rom.bytes.size() < kHeaderEnd || ascii_text(cursor.bytes(kMagic, 4)) != "SEGA")
    return std::nullopt;
  RomInfo info;
  info.system = System::md;
  info.game.title = squeezed(ascii_text(cursor.bytes(kTitleAbroad, kTitleSize)));
  if (info.game.title.empty())
    info.game.title = squeezed(ascii_text(cursor.bytes(kTitleHome, kTitleSize)));
  info.game.serial = ascii_text(cursor.bytes(kSerial, 14));
  info.game.region = region_of_field(cursor.bytes(kRegion, 3));
  info.chips = chips_of(cursor);
  return info;
}

}  // namespace bayswap
