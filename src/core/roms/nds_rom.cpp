#include "core/bytes/checksums.h"
#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace nds_rom {
namespace {

constexpr std::size_t kTitle = 0x00;  // 12
constexpr std::size_t kCode = 0x0C;   // 4
constexpr std::size_t kMaker = 0x10;  // 2
constexpr std::size_t kVersion = 0x1E;
constexpr std::size_t kLogoCheck = 0x15C;     // u16le
constexpr std::size_t kHeaderCheck = 0x15E;   // u16le, over everything before it
constexpr std::uint16_t kLogoValue = 0xCF56;  // the hardware starts nothing else

}  // namespace
}  // namespace nds_rom

std::optional<RomInfo> read_nds_rom(const RomBytes& rom) {
  using namespace nds_rom;
  Cursor cursor(rom.bytes);
  if (rom.bytes.size() < 0x200) return std::nullopt;
  const ByteView title = cursor.bytes(kTitle, 12);
  if (!is_text_field(title)) return std::nullopt;
  const bool check_holds =
      crc16_arc(rom.bytes.first(kHeaderCheck), 0xFFFF) == cursor.u16le(kHeaderCheck);
  const bool coded = is_game_code(cursor.bytes(kCode, 4));
  if (!check_holds && !(coded && cursor.u16le(kLogoCheck) == kLogoValue)) return std::nullopt;
  if (title[0] == std::byte{0} && !coded) return std::nullopt;
  RomInfo info;
  info.system = System::nds;
  info.game = header_game(title, cursor.bytes(kCode, 4), cursor.bytes(kMaker, 2));
  info.version = cursor.u8(kVersion);
  info.header_ok = check_holds;
  if (!check_holds) info.findings.push_back(bad_header_check());
  return info;
}

}  // namespace bayswap
