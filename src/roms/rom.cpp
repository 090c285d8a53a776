#include "bayswap/rom.h"

#include <algorithm>
#include <array>

#include "bytes/cursor.h"
#include "roms/headers.h"

namespace bayswap {

std::optional<RomInfo> read_rom(ByteView file) {
  // Families with a magic number or a strong check come first.
  using Reader = std::optional<RomInfo> (*)(ByteView);
  constexpr std::array<Reader, 3> kReaders{read_n64_rom, read_gb_rom, read_snes_rom};
  for (const Reader reader : kReaders)
    if (auto info = reader(file)) return info;
  return std::nullopt;
}

Finding bad_header_check() {
  return {Level::warn, "header-check",
          "the check in the ROM's header does not hold: the ROM was changed or is damaged",
          "saves still belong to it, but compare the ROM with a good dump"};
}

bool is_game_code(ByteView code) {
  return code.size() == 4 && std::all_of(code.begin(), code.end(), [](std::byte byte) {
           const std::uint8_t c = to_u8(byte);
           return (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
         });
}

}  // namespace bayswap
