#include "demo/makers.h"

#include <algorithm>
#include <array>

namespace bayswap::demo {
namespace {

void put(Bytes& bytes, std::size_t at, std::string_view text) {
  for (std::size_t i = 0; i < text.size(); ++i) bytes[at + i] = static_cast<std::byte>(text[i]);
}

void put_u8(Bytes& bytes, std::size_t at, unsigned value) {
  bytes[at] = static_cast<std::byte>(value & 0xFFU);
}

void put_be(Bytes& bytes, std::size_t at, std::uint64_t value, std::size_t width) {
  for (std::size_t i = 0; i < width; ++i)
    put_u8(bytes, at + i, static_cast<unsigned>(value >> (8 * (width - 1 - i))));
}

void put_le(Bytes& bytes, std::size_t at, std::uint64_t value, std::size_t width) {
  for (std::size_t i = 0; i < width; ++i)
    put_u8(bytes, at + i, static_cast<unsigned>(value >> (8 * i)));
}

// A small generator with fixed steps, so that the world is the same on every machine.
class Numbers {
 public:
  explicit Numbers(std::uint32_t seed) : state_(seed * 2654435761U + 1) {}
  std::uint32_t next() {
    state_ ^= state_ << 13U;
    state_ ^= state_ >> 17U;
    state_ ^= state_ << 5U;
    return state_;
  }

 private:
  std::uint32_t state_;
};

Bytes code_like(std::size_t size, std::uint32_t seed) {
  Bytes bytes(size);
  Numbers numbers(seed);
  for (std::byte& byte : bytes) byte = static_cast<std::byte>(numbers.next() & 0x7FU);
  return bytes;
}

}  // namespace

void append(Bytes& to, const Bytes& more) {
  to.insert(to.end(), more.begin(), more.end());
}

Bytes n64_rom(std::string_view title, std::string_view code) {
  Bytes rom = code_like(0x10000, 64);
  put_be(rom, 0, 0x80371240, 4);
  put(rom, 0x20, "                    ");
  put(rom, 0x20, title);
  put(rom, 0x3B, code);
  put_u8(rom, 0x3F, 0);
  return rom;
}

Bytes snes_rom(std::string_view title, std::uint8_t country, std::uint8_t sram_code) {
  Bytes rom = code_like(0x8000, 16);
  put(rom, 0x7FC0, "                     ");
  put(rom, 0x7FC0, title);
  put_u8(rom, 0x7FD5, 0x20);
  put_u8(rom, 0x7FD6, 0x02);
  put_u8(rom, 0x7FD7, 0x05);
  put_u8(rom, 0x7FD8, sram_code);
  put_u8(rom, 0x7FD9, country);
  put_u8(rom, 0x7FDA, 0x01);
  put_u8(rom, 0x7FDB, 0x00);
  put_le(rom, 0x7FDC, 0xFFFF, 2);
  put_le(rom, 0x7FDE, 0x0000, 2);
  std::uint16_t sum = 0;
  for (const std::byte byte : rom)
    sum = static_cast<std::uint16_t>(sum + std::to_integer<unsigned>(byte));
  put_le(rom, 0x7FDC, static_cast<std::uint16_t>(~sum), 2);
  put_le(rom, 0x7FDE, sum, 2);
  return rom;
}

Bytes gb_rom(std::string_view title, std::uint8_t type, std::uint8_t ram_code) {
  Bytes rom = code_like(0x8000, 8);
  for (std::size_t at = 0x134; at < 0x150; ++at) put_u8(rom, at, 0);
  put(rom, 0x134, title);
  put_u8(rom, 0x147, type);
  put_u8(rom, 0x149, ram_code);
  put_u8(rom, 0x14A, 1);
  put_u8(rom, 0x14B, 1);
  unsigned check = 0;
  for (std::size_t at = 0x134; at <= 0x14C; ++at)
    check = check - std::to_integer<unsigned>(rom[at]) - 1;
  put_u8(rom, 0x14D, check);
  return rom;
}

Bytes gba_rom(std::string_view title, std::string_view code, std::string_view marker) {
  Bytes rom = code_like(0x10000, 32);
  for (std::size_t at = 0xA0; at < 0xC0; ++at) put_u8(rom, at, 0);
  put(rom, 0xA0, title);
  put(rom, 0xAC, code);
  put(rom, 0xB0, "BS");
  put_u8(rom, 0xB2, 0x96);
  unsigned sum = 0x19;
  for (std::size_t at = 0xA0; at < 0xBD; ++at) sum += std::to_integer<unsigned>(rom[at]);
  put_u8(rom, 0xBD, 0U - sum);
  put(rom, 0x8000, marker);
  return rom;
}

Bytes nes_rom() {
  Bytes rom = code_like(16 + 0x8000 + 0x2000, 6);
  for (std::size_t at = 0; at < 16; ++at) put_u8(rom, at, 0);
  put(rom, 0, "NES\x1A");
  put_u8(rom, 4, 2);
  put_u8(rom, 5, 1);
  put_u8(rom, 6, 0x12);
  put_u8(rom, 7, 0x08);
  put_u8(rom, 10, 0x70);
  return rom;
}

Bytes md_rom(std::string_view title, std::string_view serial, char region) {
  Bytes rom = code_like(0x10000, 68);
  for (std::size_t at = 0x100; at < 0x200; ++at) put_u8(rom, at, ' ');
  put(rom, 0x100, "SEGA");
  put(rom, 0x120, title);
  put(rom, 0x150, title);
  put(rom, 0x180, serial);
  put(rom, 0x1B0, "RA\xF8\x20");
  put_be(rom, 0x1B4, 0x200001, 4);
  put_be(rom, 0x1B8, 0x203FFF, 4);
  put_u8(rom, 0x1F0, static_cast<unsigned char>(region));
  return rom;
}

Bytes nds_rom(std::string_view title, std::string_view code) {
  Bytes rom = code_like(0x4000, 9);
  for (std::size_t at = 0; at < 0x200; ++at) put_u8(rom, at, 0);
  put(rom, 0x00, title);
  put(rom, 0x0C, code);
  put(rom, 0x10, "BS");
  unsigned crc = 0xFFFF;
  for (std::size_t at = 0; at < 0x15E; ++at) {
    crc ^= std::to_integer<unsigned>(rom[at]);
    for (int bit = 0; bit < 8; ++bit) crc = (crc & 1U) != 0 ? crc >> 1U ^ 0xA001U : crc >> 1U;
  }
  put_le(rom, 0x15E, crc, 2);
  return rom;
}

Bytes on_odd_line(const Bytes& chip) {
  Bytes stored(chip.size() * 2);
  for (std::size_t i = 0; i < chip.size(); ++i) stored[2 * i + 1] = chip[i];
  return stored;
}

Bytes progress(std::string_view title, std::size_t size, std::uint32_t seed, std::byte erased) {
  static constexpr std::array<std::string_view, 4> kPlaces{"the lantern quay", "north harbour",
                                                           "the orchard gate", "winter station"};
  Bytes bytes(size, erased);
  Numbers numbers(seed);
  put(bytes, 0, title.substr(0, std::min<std::size_t>(title.size(), 20)));
  const std::size_t slot = std::max<std::size_t>(64, size / 16);
  for (std::size_t at = 32; at + slot <= size * 2 / 3; at += slot) {
    put(bytes, at, kPlaces[numbers.next() % kPlaces.size()]);
    put_be(bytes, at + 20, numbers.next() % 100000, 4);
    put_be(bytes, at + 24, seed, 4);
    for (std::size_t i = 28; i < slot; ++i) put_u8(bytes, at + i, numbers.next() % 200);
  }
  return bytes;
}

Bytes pak_with_note(std::string_view code, std::string_view maker, std::uint32_t seed) {
  Bytes pak(0x8000);
  Bytes id(0x20);
  Numbers numbers(seed);
  for (std::size_t i = 0; i < 24; ++i) put_u8(id, i, numbers.next());
  put_be(id, 0x18, 1, 2);
  put_u8(id, 0x1A, 1);
  std::uint16_t check = 0;
  for (std::size_t i = 0; i < 28; i += 2)
    check = static_cast<std::uint16_t>(check + std::to_integer<unsigned>(id[i]) * 256 +
                                       std::to_integer<unsigned>(id[i + 1]));
  put_be(id, 0x1C, check, 2);
  put_be(id, 0x1E, static_cast<std::uint16_t>(0xFFF2 - check), 2);
  for (const std::size_t at : {0x20U, 0x60U, 0x80U, 0xC0U})
    std::copy(id.begin(), id.end(), pak.begin() + static_cast<std::ptrdiff_t>(at));
  // The note uses pages 5 and 6.
  for (std::size_t page = 5; page < 128; ++page) put_be(pak, 0x100 + page * 2, 3, 2);
  put_be(pak, 0x100 + 5 * 2, 6, 2);
  put_be(pak, 0x100 + 6 * 2, 1, 2);
  unsigned sum = 0;
  for (std::size_t i = 0x0A; i < 0x100; ++i) sum += std::to_integer<unsigned>(pak[0x100 + i]);
  put_u8(pak, 0x101, sum);
  std::copy_n(pak.begin() + 0x100, 0x100, pak.begin() + 0x200);
  put(pak, 0x300, code);
  put(pak, 0x304, maker);
  put_be(pak, 0x306, 5, 2);
  put_u8(pak, 0x308, 2);
  // In the console's own code: A is 1A, a blank 0F.
  constexpr std::string_view kName = "GLACIER POST";
  for (std::size_t i = 0; i < kName.size(); ++i)
    put_u8(pak, 0x310 + i, kName[i] == ' ' ? 0x0FU : static_cast<unsigned>(kName[i] - 'A' + 0x1A));
  for (std::size_t i = 0; i < 0x200; ++i) put_u8(pak, 0x500 + i, numbers.next());
  return pak;
}

Bytes gb_clock(std::size_t width, std::uint32_t days, std::uint64_t time) {
  Bytes clock(width);
  const std::array<std::uint32_t, 5> registers{41, 17, 6, days & 0xFFU, (days >> 8U) & 1U};
  for (std::size_t i = 0; i < 5; ++i) {
    put_le(clock, i * 4, registers[i], 4);
    put_le(clock, 20 + i * 4, registers[i], 4);
  }
  put_le(clock, 40, time, width - 40);
  return clock;
}

Bytes n64_container(const Bytes& eeprom, const Bytes& pak1, const Bytes& sram) {
  Bytes container(0x48800, std::byte{0xFF});
  std::copy(eeprom.begin(), eeprom.end(), container.begin());
  std::copy(pak1.begin(), pak1.end(), container.begin() + 0x800);
  for (std::size_t i = 0; i < sram.size(); ++i) container[0x20800 + (i ^ 3U)] = sram[i];
  return container;
}

}  // namespace bayswap::demo
