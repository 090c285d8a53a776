#include <algorithm>
#include <array>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace snes_rom {
namespace {

constexpr std::array<std::size_t, 3> kPlaces{0x7FC0, 0xFFC0, 0x40FFC0};
constexpr std::size_t kCopierHeader = 512;
constexpr std::size_t kTitleSize = 21;
// Offsets from the place of the header.
constexpr std::size_t kMapMode = 0x15;
constexpr std::size_t kCartridgeType = 0x16;
constexpr std::size_t kRomSize = 0x17;
constexpr std::size_t kSramSize = 0x18;
constexpr std::size_t kCountry = 0x19;
constexpr std::size_t kMaker = 0x1A;  // 33: the extended header in front is valid
constexpr std::size_t kVersion = 0x1B;
constexpr std::size_t kComplement = 0x1C;
constexpr std::size_t kChecksum = 0x1E;
constexpr std::size_t kHeaderSize = 0x20;
constexpr std::size_t kCodeBefore = 0x0E;         // 4 bytes
constexpr std::size_t kMakerBefore = 0x10;        // 2 bytes
constexpr std::size_t kCoprocessorRamBefore = 3;  // same code as the SRAM size
constexpr std::uint8_t kExtended = 0x33;
constexpr std::uint8_t kLargestSram = 8;

struct Header {
  std::size_t at = 0;
  bool pair_fits = false;
};

bool battery_type(std::uint8_t type) {
  switch (type & 0x0FU) {
    case 0x2:
    case 0x5:
    case 0x6:
    case 0x9:
    case 0xA: return true;
    default: return false;
  }
}

Region region_of_country(std::uint8_t country) {
  if (country == 0x00) return Region::japan;
  if (country == 0x01) return Region::america;
  if (country >= 0x02 && country <= 0x0C) return Region::europe;
  if (country == 0x0D) return Region::korea;
  return Region::unknown;
}

// Titles are ASCII, or Shift-JIS in Japan; control characters never occur.
bool plausible_title(ByteView title) {
  return std::all_of(title.begin(), title.end(), [](std::byte b) {
    const std::uint8_t c = to_u8(b);
    return c == 0 || (c >= 0x20 && c != 0x7F);
  });
}

bool plausible(Cursor& cursor, std::size_t at) {
  return plausible_title(cursor.bytes(at, kTitleSize)) && cursor.u8(at + kSramSize) <= kLargestSram;
}

bool place_agrees(std::size_t place, std::uint8_t map_mode) {
  return (place == kPlaces[0]) == ((map_mode & 1U) == 0);
}

// Without a fitting pair, everything else has to look like a header.
bool looks_like_header(Cursor& cursor, std::size_t at, std::size_t place) {
  const std::uint8_t mode = cursor.u8(at + kMapMode);
  const ByteView title = cursor.bytes(at, kTitleSize);
  return (mode & 0xE0U) == 0x20 && place_agrees(place, mode) && is_printable(title) &&
         title[0] != std::byte{' '} && cursor.u8(at + kCountry) <= 0x14 &&
         cursor.u8(at + kRomSize) >= 5 && cursor.u8(at + kRomSize) <= 13;
}

// A pair that fits happens by chance in large files: the map mode is one that exists, too, or the
// sum is that of the ROM.
bool pair_is_meant(const RomBytes& rom, Cursor& cursor, std::size_t at, std::size_t skip) {
  constexpr std::size_t kResetVector = 0x3C;  // must lie in ROM
  const std::uint8_t mode = cursor.u8(at + kMapMode);
  const bool vector = cursor.u16le(at + kResetVector) >= 0x8000;
  if ((mode & 0xE0U) == 0x20 && (vector || cursor.u8(at + kRomSize) <= 13)) return true;
  if (rom.bytes.size() != rom.file_size) return false;
  std::uint16_t sum = 0;
  for (const std::byte byte : rom.bytes.subspan(skip))
    sum = static_cast<std::uint16_t>(sum + to_u8(byte));
  return sum == cursor.u16le(at + kChecksum);
}

std::optional<Header> find_header(const RomBytes& rom, Cursor& cursor) {
  const ByteView file = rom.bytes;
  const std::size_t skip = rom.file_size % 1024 == kCopierHeader ? kCopierHeader : 0;
  constexpr std::uint64_t kBank = 0x8000;
  const bool banks = (rom.file_size - skip) % kBank == 0;
  std::optional<Header> best;
  for (const std::size_t place : kPlaces) {
    const std::size_t at = place + skip;
    if (at + kHeaderSize > file.size() || !plausible(cursor, at)) continue;
    const unsigned sum = unsigned{cursor.u16le(at + kComplement)} + cursor.u16le(at + kChecksum);
    const bool pair_fits = sum == 0xFFFF;
    if (pair_fits ? !pair_is_meant(rom, cursor, at, skip)
                  : !banks || !looks_like_header(cursor, at, place))
      continue;
    const bool better =
        !best || (pair_fits && !best->pair_fits) ||
        (pair_fits == best->pair_fits && place_agrees(place, cursor.u8(at + kMapMode)));
    if (better) best = Header{at, pair_fits};
  }
  return best;
}

}  // namespace
}  // namespace snes_rom

std::optional<RomInfo> read_snes_rom(const RomBytes& rom) {
  using namespace snes_rom;
  const ByteView file = rom.bytes;
  Cursor cursor(file);
  const auto header = find_header(rom, cursor);
  if (!header) return std::nullopt;
  const std::size_t at = header->at;
  RomInfo info;
  info.system = System::snes;
  info.game.title = ascii_text(cursor.bytes(at, kTitleSize));
  info.game.region = region_of_country(cursor.u8(at + kCountry));
  info.version = cursor.u8(at + kVersion);
  info.header_ok = header->pair_fits;
  std::uint8_t size = cursor.u8(at + kSramSize);
  if (cursor.u8(at + kMaker) == kExtended) {
    const ByteView code = cursor.bytes(at - kCodeBefore, 4);
    if (is_game_code(code)) info.game.code = ascii_text(code);
    if (is_printable(cursor.bytes(at - kMakerBefore, 2)))
      info.game.maker = ascii_text(cursor.bytes(at - kMakerBefore, 2));
    const std::uint8_t coprocessor = cursor.u8(at - kCoprocessorRamBefore);
    if (size == 0 && coprocessor <= kLargestSram) size = coprocessor;
  }
  std::vector<Chip> chips;
  if (battery_type(cursor.u8(at + kCartridgeType)) && size > 0)
    chips.push_back({"sram", std::uint64_t{1024} << size});
  info.chips = std::move(chips);
  if (!header->pair_fits) info.findings.push_back(bad_header_check());
  return info;
}

}  // namespace bayswap
