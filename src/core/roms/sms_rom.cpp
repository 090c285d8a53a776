#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace sms_rom {
namespace {

constexpr std::size_t kHeader = 0x7FF0;   // "TMR SEGA"
constexpr std::size_t kVersion = 0x7FFE;  // low nibble
constexpr std::size_t kRegion = 0x7FFF;   // high nibble: 3 Japan, 4 export, 5 to 7 the handheld

}  // namespace
}  // namespace sms_rom

std::optional<RomInfo> read_sms_rom(const RomBytes& rom) {
  using namespace sms_rom;
  Cursor cursor(rom.bytes);
  if (rom.bytes.size() < 0x8000 || ascii_text(cursor.bytes(kHeader, 8)) != "TMR SEGA")
    return std::nullopt;
  RomInfo info;
  info.system = System::sms;
  info.version = cursor.u8(kVersion) & 0x0F;
  const unsigned region = cursor.u8(kRegion) >> 4U;
  if (region == 3 || region == 5) info.game.region = Region::japan;
  if (region == 7) info.game.region = Region::any;
  return info;
}

}  // namespace bayswap
