#include "core/roms/logo.h"

#include "core/bytes/checksums.h"
#include "core/bytes/cursor.h"

namespace bayswap {
namespace {

bool has_crc(ByteView bytes, std::uint16_t crc) {
  return crc16_arc(bytes, 0xFFFF) == crc;
}

bool gba_logo_holds(ByteView rom) {
  constexpr std::size_t kLogo = 0x04;
  constexpr std::size_t kDebugByte = 0x9C;  // bits 2 and 7 may differ
  constexpr std::size_t kKeyByte = 0x9E;    // bits 0 and 1 may differ
  const ByteView stored = Cursor(rom).bytes(kLogo, 156);
  Bytes logo(stored.begin(), stored.end());
  if (logo.empty()) return false;
  logo[kDebugByte - kLogo] &= std::byte{0x7B};
  logo[kKeyByte - kLogo] &= std::byte{0xFC};
  return has_crc(logo, 0xCF56);
}

}  // namespace

bool logo_holds(System system, ByteView rom) {
  if (system == System::gba) return gba_logo_holds(rom);
  if (system == System::gb) return has_crc(Cursor(rom).bytes(0x104, 48), 0x91C6);
  return true;
}

}  // namespace bayswap
