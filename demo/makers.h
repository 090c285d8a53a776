// Makers of the demo world's ROMs and saves, from the facts and without the library.
#pragma once

#include <cstdint>
#include <string_view>

#include "bayswap/bytes.h"

namespace bayswap::demo {

inline constexpr std::byte kZero{0x00};
inline constexpr std::byte kOnes{0xFF};

[[nodiscard]] Bytes n64_rom(std::string_view title, std::string_view code);
[[nodiscard]] Bytes snes_rom(std::string_view title, std::uint8_t country, std::uint8_t sram_code);
[[nodiscard]] Bytes gb_rom(std::string_view title, std::uint8_t type, std::uint8_t ram_code);

/// `marker`: the name of the save library, such as `FLASH512_V131`.
[[nodiscard]] Bytes gba_rom(std::string_view title, std::string_view code, std::string_view marker);
[[nodiscard]] Bytes nes_rom();
/// A cartridge with 8 KiB of RAM on the odd byte line.
[[nodiscard]] Bytes md_rom(std::string_view title, std::string_view serial, char region);
[[nodiscard]] Bytes nds_rom(std::string_view title, std::string_view code);

/// Progress of a game in `size` bytes: its name, players, and numbers that depend on `seed`; the
/// last third stays erased.
[[nodiscard]] Bytes progress(std::string_view title, std::size_t size, std::uint32_t seed,
                             std::byte erased);

/// A formatted controller pak with one note.
[[nodiscard]] Bytes pak_with_note(std::string_view code, std::string_view maker,
                                  std::uint32_t seed);

/// The clock of a gb cartridge: 44 or 48 bytes.
[[nodiscard]] Bytes gb_clock(std::size_t width, std::uint32_t days, std::uint64_t time);

/// The n64 container, chips already in their own order; SRAM is stored word-reversed.
[[nodiscard]] Bytes n64_container(const Bytes& eeprom, const Bytes& pak1, const Bytes& sram);

/// The bytes at odd offsets, 00 at even ones.
[[nodiscard]] Bytes on_odd_line(const Bytes& chip);

void append(Bytes& to, const Bytes& more);

}  // namespace bayswap::demo
