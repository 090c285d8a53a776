#include "bayswap/rom.h"

#include <algorithm>
#include <array>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/ordinary/ordinary_file.h"
#include "core/roms/headers.h"

namespace bayswap {

std::optional<RomInfo> read_rom(ByteView bytes, std::uint64_t file_size) {
  // Families with a magic number come first, those with only a check later.
  using Reader = std::optional<RomInfo> (*)(const RomBytes&);
  constexpr std::array<Reader, 10> kReaders{read_n64_rom, read_nes_rom, read_disc_id, read_3ds_card,
                                            read_md_rom,  read_nds_rom, read_gba_rom, read_gb_rom,
                                            read_sms_rom, read_snes_rom};
  const RomBytes rom{bytes, std::max<std::uint64_t>(file_size, bytes.size())};
  for (const Reader reader : kReaders)
    if (auto info = reader(rom)) {
      // A manual may have the letters of a header in the right place.
      if (!ordinary_file(bytes).words.empty()) return std::nullopt;
      return info;
    }
  return std::nullopt;
}

std::optional<RomInfo> read_rom(ByteView file) {
  return read_rom(file, file.size());
}

Finding bad_header_check() {
  return {Level::warn, Code::header_check,
          "the check in the ROM's header is wrong: the ROM was changed or is damaged",
          "saves still belong to it, but compare the ROM with a good dump"};
}

Game header_game(ByteView title, ByteView code, ByteView maker) {
  Game game;
  game.title = ascii_text(title);
  if (is_game_code(code)) {
    game.code = ascii_text(code);
    game.region = region_of_letter(game.code[3]);
  }
  if (is_printable(maker)) game.maker = ascii_text(maker);
  return game;
}

bool is_game_code(ByteView code) {
  return code.size() == 4 && std::all_of(code.begin(), code.end(), [](std::byte byte) {
           const std::uint8_t c = to_u8(byte);
           return (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
         });
}

bool is_text_field(ByteView field) {
  const auto end = std::find(field.begin(), field.end(), std::byte{0});
  const auto length = static_cast<std::size_t>(end - field.begin());
  return is_printable(field.first(length)) &&
         std::all_of(end, field.end(), [](std::byte b) { return b == std::byte{0}; });
}

}  // namespace bayswap
