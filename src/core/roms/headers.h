// One reader for each family of ROM headers. Each gives nothing when the bytes are not of its
// family.
#pragma once

#include <cstdint>
#include <optional>

#include "bayswap/rom.h"

namespace bayswap {

/// A ROM, or the beginning of one, and the size of the whole file in bytes.
struct RomBytes {
  ByteView bytes;
  std::uint64_t file_size = 0;
};

[[nodiscard]] std::optional<RomInfo> read_n64_rom(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_nes_rom(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_md_rom(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_sms_rom(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_gba_rom(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_nds_rom(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_disc_id(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_3ds_card(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_gb_rom(const RomBytes& rom);
[[nodiscard]] std::optional<RomInfo> read_snes_rom(const RomBytes& rom);

/// The warning about a header whose own check does not hold.
[[nodiscard]] Finding bad_header_check();

/// The game that three header fields name: a code brings its region along.
[[nodiscard]] Game header_game(ByteView title, ByteView code, ByteView maker);

/// Four characters of a game code: capitals and digits.
[[nodiscard]] bool is_game_code(ByteView code);

/// Printable text, then zeros to the end of the field.
[[nodiscard]] bool is_text_field(ByteView field);

/// An n64 ROM in the order of the console, whichever it is stored in; other bytes as they are.
[[nodiscard]] Bytes in_native_order(Bytes rom);

}  // namespace bayswap
