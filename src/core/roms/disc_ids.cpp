// Discs of gc and wii by their ids, and 3ds card images by their title id.
#include <fmt/core.h>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/roms/headers.h"

namespace bayswap {
namespace {

constexpr std::size_t kDiscCode = 0x00;   // 4
constexpr std::size_t kDiscMaker = 0x04;  // 2
constexpr std::size_t kDiscVersion = 0x07;
constexpr std::size_t kWiiMagicAt = 0x18;
constexpr std::size_t kGcMagicAt = 0x1C;
constexpr std::size_t kDiscTitle = 0x20;  // 64, as the console's own menu shows it
constexpr std::size_t kDiscTitleSize = 64;
constexpr std::uint32_t kWiiMagic = 0x5D1C9EA3;
constexpr std::uint32_t kGcMagic = 0xC2339F3D;

constexpr std::size_t kNcsd = 0x100;            // "NCSD"
constexpr std::size_t kTitleId = 0x108;         // u64le
constexpr std::size_t kFirstPartition = 0x120;  // u32le, in units of 0x200
constexpr std::size_t kNcchMagic = 0x100;       // "NCCH", from the partition
constexpr std::size_t kProductCode = 0x150;     // 16, from the partition

}  // namespace

std::optional<RomInfo> read_disc_id(const RomBytes& rom) {
  Cursor cursor(rom.bytes);
  const bool wii = cursor.u32be(kWiiMagicAt) == kWiiMagic;
  const bool gc = cursor.u32be(kGcMagicAt) == kGcMagic;
  if (!wii && !gc) return std::nullopt;
  RomInfo info;
  info.system = wii ? System::wii : System::gc;
  const ByteView title = cursor.bytes(kDiscTitle, kDiscTitleSize);
  info.game = header_game(is_text_field(title) ? title : ByteView{}, cursor.bytes(kDiscCode, 4),
                          cursor.bytes(kDiscMaker, 2));
  info.version = cursor.u8(kDiscVersion);
  info.chips = std::vector<Chip>{};
  return info;
}

std::optional<RomInfo> read_3ds_card(const RomBytes& rom) {
  Cursor cursor(rom.bytes);
  if (ascii_text(cursor.bytes(kNcsd, 4)) != "NCSD" || rom.bytes.size() < 0x200) return std::nullopt;
  RomInfo info;
  info.system = System::n3ds;
  info.game.title_id = fmt::format("{:016x}", cursor.u64le(kTitleId));
  const std::uint64_t partition = std::uint64_t{cursor.u32le(kFirstPartition)} * 0x200;
  if (ascii_text(cursor.bytes(partition + kNcchMagic, 4)) == "NCCH") {
    info.game.serial = ascii_text(cursor.bytes(partition + kProductCode, 16));
    if (info.game.serial.size() >= 4) {
      info.game.code = info.game.serial.substr(info.game.serial.size() - 4);
      info.game.region = region_of_letter(info.game.code[3]);
    }
  }
  return info;
}

}  // namespace bayswap
