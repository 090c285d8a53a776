#include "core/bytes/cursor.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace nes_rom {
namespace {

constexpr std::uint32_t kMagic = 0x4E45531A;  // "NES" 1A
constexpr std::size_t kFlags6 = 6;            // bit 1: battery
constexpr std::size_t kFlags7 = 7;            // bits 2-3 = 2: the second version of the header
constexpr std::size_t kRamSizes = 10;         // high nibble n: 64<<n bytes are kept

}  // namespace
}  // namespace nes_rom

std::optional<RomInfo> read_nes_rom(const RomBytes& rom) {
  using namespace nes_rom;
  Cursor cursor(rom.bytes);
  if (cursor.u32be(0) != kMagic || rom.bytes.size() < 16) return std::nullopt;
  RomInfo info;
  info.system = System::nes;
  const bool battery = (cursor.u8(kFlags6) & 2U) != 0;
  const bool second = (cursor.u8(kFlags7) & 0x0CU) == 0x08;
  const unsigned shift = cursor.u8(kRamSizes) >> 4U;
  std::vector<Chip> chips;
  if (second && shift > 0) {
    chips.push_back({"sram", std::uint64_t{64} << shift});
  } else if (!second && battery) {
    chips.push_back({"sram", 0});  // the first version does not tell the size
  }
  info.chips = std::move(chips);
  return info;
}

}  // namespace bayswap
