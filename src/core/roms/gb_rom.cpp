#include <algorithm>
#include <array>
#include <string_view>

#include "core/bytes/cursor.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace gb_rom {
namespace {

constexpr std::size_t kHeaderEnd = 0x150;
constexpr std::size_t kLogo = 0x104;  // 48, which the hardware compares with its own
constexpr std::size_t kLogoSize = 48;
constexpr std::string_view kLogoCrc = "46195417";  // CRC-32 of what it has to be
constexpr std::size_t kTitle = 0x134;
constexpr std::size_t kCode = 0x13F;  // 4 bytes, on later colour carts only
constexpr std::size_t kColourFlag = 0x143;
constexpr std::size_t kType = 0x147;
constexpr std::size_t kRomSize = 0x148;
constexpr std::size_t kRamSize = 0x149;
constexpr std::size_t kDestination = 0x14A;
constexpr std::size_t kOldMaker = 0x14B;
constexpr std::size_t kVersion = 0x14C;
constexpr std::size_t kCheck = 0x14D;
constexpr std::size_t kNewMaker = 0x144;  // 2 bytes, when the old maker code is 33

constexpr std::array<std::uint8_t, 14> kBatteryTypes{0x03, 0x06, 0x09, 0x0D, 0x0F, 0x10, 0x13,
                                                     0x1B, 0x1E, 0x22, 0xFC, 0xFD, 0xFE, 0xFF};
constexpr std::array<std::uint8_t, 15> kOtherTypes{0x00, 0x01, 0x02, 0x05, 0x08, 0x0B, 0x0C, 0x11,
                                                   0x12, 0x19, 0x1A, 0x1C, 0x1D, 0x20, 0x1F};

bool has(const auto& list, std::uint8_t value) {
  return std::find(list.begin(), list.end(), value) != list.end();
}

std::uint64_t ram_size(std::uint8_t code) {
  switch (code) {
    case 1: return 0x800;
    case 2: return 0x2000;
    case 3: return 0x8000;
    case 4: return 0x20000;
    case 5: return 0x10000;
    default: return 0;
  }
}

std::vector<Chip> chips_of(std::uint8_t type, std::uint8_t ram) {
  std::vector<Chip> chips;
  if (!has(kBatteryTypes, type)) return chips;
  if (type == 0x06) {
    chips.push_back({"sram", 512});  // 512×4-bit chip inside the mapper
  } else if (type == 0x22) {
    chips.push_back({"sram", 256});  // serial EEPROM; its RAM code is 0
  } else if (type != 0x0F && ram_size(ram) > 0) {
    chips.push_back({"sram", ram_size(ram)});
  }
  if (type == 0x0F || type == 0x10) chips.push_back({"clock", 48});
  return chips;
}

bool has_letter(ByteView title) {
  return std::ranges::any_of(title, [](std::byte b) {
    return (to_u8(b) >= 'A' && to_u8(b) <= 'Z') || (to_u8(b) >= 'a' && to_u8(b) <= 'z');
  });
}

bool has_small_letter(ByteView title) {
  return std::ranges::any_of(title, [](std::byte b) { return to_u8(b) >= 'a' && to_u8(b) <= 'z'; });
}

std::uint8_t header_check(Cursor& cursor) {
  std::uint8_t check = 0;
  for (std::size_t at = kTitle; at <= kVersion; ++at)
    check = static_cast<std::uint8_t>(check - cursor.u8(at) - 1);
  return check;
}

// The four bytes where the console begins hold a jump over the header.
bool begins_program(Cursor& cursor) {
  constexpr std::uint64_t kStart = 0x100;
  constexpr std::uint8_t kJump = 0xC3;
  constexpr std::uint8_t kShortJump = 0x18;
  for (std::uint64_t at = kStart; at < kStart + 3; ++at)
    if (cursor.u8(at) == kJump || cursor.u8(at) == kShortJump) return true;
  return false;
}

}  // namespace
}  // namespace gb_rom

std::optional<RomInfo> read_gb_rom(const RomBytes& rom) {
  using namespace gb_rom;
  const ByteView file = rom.bytes;
  if (file.size() < kHeaderEnd) return std::nullopt;
  Cursor cursor(file);
  const std::uint8_t type = cursor.u8(kType);
  if (!has(kBatteryTypes, type) && !has(kOtherTypes, type)) return std::nullopt;
  const bool colour = (cursor.u8(kColourFlag) & 0x80U) != 0;
  const bool coded = colour && cursor.u8(kOldMaker) == 0x33 && is_game_code(cursor.bytes(kCode, 4));
  const std::size_t title_size = coded ? 11 : colour ? 15 : 16;
  const ByteView title = cursor.bytes(kTitle, title_size);
  if (!is_text_field(title)) return std::nullopt;
  const bool check_holds = header_check(cursor) == cursor.u8(kCheck);
  const std::uint8_t rom_code = cursor.u8(kRomSize);
  const bool size_fits = rom_code <= 8 && rom.file_size == std::uint64_t{0x8000} << rom_code;
  // The logo is strong. Without it, which happens in homebrew, a check of one byte is weak: size
  // and title have to be a ROM's too. Where the check fails as well, the title has to be in
  // capitals, as they are, or a program to begin.
  const bool logo = crc32_hex(file.subspan(kLogo, kLogoSize)) == kLogoCrc;
  constexpr std::uint64_t kBank = 0x4000;
  const bool banks = rom.file_size >= kBank && rom.file_size % kBank == 0 && rom_code <= 8;
  const bool fits = check_holds ? size_fits || banks
                                : size_fits && (!has_small_letter(title) || begins_program(cursor));
  if (!logo && !(has_letter(title) && fits)) return std::nullopt;

  RomInfo info;
  info.system = System::gb;
  info.game.title = ascii_text(title);
  info.version = cursor.u8(kVersion);
  info.header_ok = check_holds;
  if (cursor.u8(kOldMaker) == 0x33 && is_printable(cursor.bytes(kNewMaker, 2)))
    info.game.maker = ascii_text(cursor.bytes(kNewMaker, 2));
  if (coded) {
    info.game.code = ascii_text(cursor.bytes(kCode, 4));
    info.game.region = region_of_letter(info.game.code[3]);
  } else if (cursor.u8(kDestination) == 0) {
    info.game.region = Region::japan;
  }
  // Type 05 has the built-in chip but no battery to keep it.
  info.chips = chips_of(type, cursor.u8(kRamSize));
  if (!check_holds) info.findings.push_back(bad_header_check());
  return info;
}

}  // namespace bayswap
