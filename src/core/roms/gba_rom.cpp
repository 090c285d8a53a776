#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/roms/gba_marker.h"
#include "core/roms/headers.h"
#include "core/roms/logo.h"

namespace bayswap {
namespace gba_rom {
namespace {

constexpr std::size_t kTitle = 0xA0;  // 12
constexpr std::size_t kCode = 0xAC;   // 4
constexpr std::size_t kMaker = 0xB0;  // 2
constexpr std::size_t kFixed = 0xB2;  // 96
constexpr std::size_t kVersion = 0xBC;
constexpr std::size_t kCheck = 0xBD;
constexpr std::size_t kHeaderEnd = 0xC0;

std::uint8_t header_check(Cursor& cursor) {
  unsigned sum = 0x19;
  for (std::size_t at = kTitle; at < kCheck; ++at) sum += cursor.u8(at);
  return static_cast<std::uint8_t>(0U - sum);
}

}  // namespace
}  // namespace gba_rom

std::optional<RomInfo> read_gba_rom(const RomBytes& rom) {
  using namespace gba_rom;
  Cursor cursor(rom.bytes);
  if (rom.bytes.size() < kHeaderEnd || cursor.u8(kFixed) != 0x96) return std::nullopt;
  const ByteView title = cursor.bytes(kTitle, 12);
  const bool check_holds = header_check(cursor) == cursor.u8(kCheck);
  const bool coded = is_game_code(cursor.bytes(kCode, 4));
  // Without the logo, a fixed byte and a sum of one byte are weak: the texts have to be texts too.
  if (!logo_holds(System::gba, rom.bytes)) {
    if (!is_text_field(title) || (!coded && (!check_holds || cursor.u32be(kCode) != 0)))
      return std::nullopt;
    if (!check_holds && title[0] == std::byte{0}) return std::nullopt;
  }
  RomInfo info;
  info.system = System::gba;
  info.game = header_game(title, cursor.bytes(kCode, 4), cursor.bytes(kMaker, 2));
  info.version = cursor.u8(kVersion);
  info.header_ok = check_holds;
  if (!check_holds) info.findings.push_back(bad_header_check());
  if (auto chip = find_gba_chip(rom.bytes)) info.chips = std::vector<Chip>{std::move(*chip)};
  return info;
}

}  // namespace bayswap
