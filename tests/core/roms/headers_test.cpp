#include <gtest/gtest.h>

#include <random>

#include "bayswap/rom.h"
#include "core/bytes/order.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

using test::put;

Bytes n64_header() {
  Bytes rom(0x1000);
  put(rom, 0, test::bytes({0x80, 0x37, 0x12, 0x40}));
  put(rom, 0x20, std::string_view("COPPER TIDE         "));
  put(rom, 0x3B, std::string_view("NCTE"));
  put(rom, 0x3F, 2U);
  return rom;
}

TEST(N64Rom, ReadsAllThreeByteOrders) {
  for (const std::size_t unit : {1U, 2U, 4U}) {
    Bytes rom = n64_header();
    reverse_units(rom, unit);
    const auto info = read_rom(rom);
    ASSERT_TRUE(info) << unit;
    EXPECT_EQ(info->system, System::n64);
    EXPECT_EQ(info->game.title, "COPPER TIDE");
    EXPECT_EQ(info->game.code, "NCTE");
    EXPECT_EQ(info->game.region, Region::america);
    EXPECT_EQ(info->version, 2);
    EXPECT_FALSE(info->chips);
  }
}

TEST(N64Rom, ReadsTheChipOfHomebrew) {
  const std::vector<std::pair<unsigned, Chip>> known{
      {0x10, {"eeprom", 512}}, {0x20, {"eeprom", 2048}},  {0x30, {"sram", 32768}},
      {0x42, {"sram", 98304}}, {0x50, {"flash", 131072}}, {0x61, {"sram", 131072}}};
  for (const auto& [byte, chip] : known) {
    Bytes rom = n64_header();
    put(rom, 0x3B, std::string_view("NEDE"));
    put(rom, 0x3F, byte);
    const auto info = read_rom(rom);
    ASSERT_TRUE(info && info->chips);
    EXPECT_EQ(*info->chips, std::vector<Chip>{chip});
    EXPECT_TRUE(info->shared_code);
    EXPECT_EQ(info->game.region == Region::any, (byte & 2U) != 0);
  }
}

Bytes gb_header(unsigned type, unsigned ram) {
  Bytes rom(0x8000);
  put(rom, 0x134, std::string_view("TIN ORCHARD"));
  put(rom, 0x147, type);
  put(rom, 0x149, ram);
  unsigned check = 0;
  for (std::size_t i = 0x134; i <= 0x14C; ++i)
    check = check - std::to_integer<unsigned>(rom[i]) - 1;
  put(rom, 0x14D, check & 0xFFU);
  return rom;
}

TEST(GbRom, NamesChipsByType) {
  const std::vector<std::tuple<unsigned, unsigned, std::vector<Chip>>> known{
      {0x00, 0, {}},
      {0x03, 2, {{"sram", 8192}}},
      {0x06, 0, {{"sram", 512}}},
      {0x0F, 0, {{"clock", 48}}},
      {0x10, 3, {{"sram", 32768}, {"clock", 48}}},
      {0x13, 5, {{"sram", 65536}}},
      {0x1B, 4, {{"sram", 131072}}},
      {0x22, 0, {{"sram", 256}}},
      {0x12, 2, {}}};
  for (const auto& [type, ram, chips] : known) {
    const auto info = read_rom(gb_header(type, ram));
    ASSERT_TRUE(info) << type;
    EXPECT_EQ(info->game.title, "TIN ORCHARD");
    EXPECT_EQ(*info->chips, chips) << type;
    EXPECT_TRUE(info->header_ok);
    EXPECT_EQ(info->game.region, Region::japan);
  }
}

TEST(GbRom, TellsAFailedCheckAndAColourCode) {
  Bytes rom = gb_header(0x03, 2);
  put(rom, 0x14D, std::to_integer<unsigned>(rom[0x14D]) ^ 1U);
  auto info = read_rom(rom);
  ASSERT_TRUE(info);
  EXPECT_FALSE(info->header_ok);
  EXPECT_TRUE(has_code(info->findings, Code::header_check));
  // Prose that happens to stand there is no title, unless a program begins in front of it.
  put(rom, 0x134, std::string_view("north harbour"));
  EXPECT_FALSE(read_rom(rom));
  put(rom, 0x100, test::bytes({0x00, 0xC3, 0x50, 0x01}));
  EXPECT_TRUE(read_rom(rom));

  rom = gb_header(0x03, 2);
  put(rom, 0x13F, std::string_view("BTOP"));
  put(rom, 0x143, 0x80U);
  put(rom, 0x144, std::string_view("BS"));
  put(rom, 0x14B, 0x33U);
  unsigned check = 0;
  for (std::size_t i = 0x134; i <= 0x14C; ++i)
    check = check - std::to_integer<unsigned>(rom[i]) - 1;
  put(rom, 0x14D, check & 0xFFU);
  info = read_rom(rom);
  ASSERT_TRUE(info);
  EXPECT_EQ(info->game.code, "BTOP");
  EXPECT_EQ(info->game.maker, "BS");
  EXPECT_EQ(info->game.region, Region::europe);
}

Bytes snes_rom(std::size_t size, std::size_t place, unsigned mode) {
  Bytes rom(size);
  put(rom, place, std::string_view("LANTERN DRIFT        "));
  put(rom, place + 0x15, mode);
  put(rom, place + 0x16, 0x02U);
  put(rom, place + 0x17, 0x09U);
  put(rom, place + 0x18, 0x03U);
  put(rom, place + 0x19, 0x02U);
  put(rom, place + 0x1C, test::bytes({0x34, 0x12, 0xCB, 0xED}));
  return rom;
}

TEST(SnesRom, FindsTheHeaderWhereverItIs) {
  const std::vector<std::tuple<std::size_t, std::size_t, unsigned>> places{
      {0x8000, 0x7FC0, 0x20}, {0x10000, 0xFFC0, 0x21}, {0x600000, 0x40FFC0, 0x25}};
  for (const auto& [size, place, mode] : places) {
    for (const std::size_t copier : {0U, 512U}) {
      Bytes rom = Bytes(copier);
      const Bytes body = snes_rom(size, place, mode);
      rom.insert(rom.end(), body.begin(), body.end());
      const auto info = read_rom(rom);
      ASSERT_TRUE(info) << place;
      EXPECT_EQ(info->game.title, "LANTERN DRIFT");
      EXPECT_EQ(info->game.region, Region::europe);
      EXPECT_EQ(*info->chips, (std::vector<Chip>{{"sram", 8192}}));
    }
  }
}

TEST(SnesRom, WithTwoFittingPairsTheMapModeDecides) {
  Bytes rom = snes_rom(0x10000, 0x7FC0, 0x21);
  const Bytes high = snes_rom(0x10000, 0xFFC0, 0x21);
  put(rom, 0xFFC0, Bytes(high.begin() + 0xFFC0, high.end()));
  put(rom, 0xFFC0, std::string_view("HIGH PLACE"));
  EXPECT_TRUE(read_rom(rom)->game.title.starts_with("HIGH PLACE"));
}

TEST(SnesRom, ReadsTheExtendedHeader) {
  Bytes rom = snes_rom(0x8000, 0x7FC0, 0x20);
  put(rom, 0x7FC0 - 0x10, std::string_view("BSALDE"));
  put(rom, 0x7FC0 - 3, 5U);
  put(rom, 0x7FC0 + 0x18, 0U);
  put(rom, 0x7FC0 + 0x16, 0x15U);
  put(rom, 0x7FC0 + 0x1A, 0x33U);
  const auto info = read_rom(rom);
  ASSERT_TRUE(info);
  EXPECT_EQ(info->game.code, "ALDE");
  EXPECT_EQ(info->game.maker, "BS");
  EXPECT_EQ(*info->chips, (std::vector<Chip>{{"sram", 32768}}));
}

TEST(AnyRom, MutationsNeverBreakTheReaders) {
  const std::vector<Bytes> good{n64_header(), gb_header(0x10, 3), snes_rom(0x10000, 0xFFC0, 0x21)};
  std::mt19937 numbers(5);
  for (int round = 0; round < 3000; ++round) {
    Bytes rom = good[numbers() % good.size()];
    for (int i = 0; i < 8; ++i)
      put(rom, numbers() % rom.size(), static_cast<unsigned>(numbers() % 256));
    if (round % 3 == 0) rom.resize(numbers() % rom.size());
    if (const auto info = read_rom(rom)) {
      for (const char c : info->game.title) EXPECT_GE(static_cast<unsigned char>(c), 0x20);
      EXPECT_LE(info->game.code.size(), 4U);
    }
  }
}

TEST(AnyRom, SavesAreNoRoms) {
  for (std::uint32_t seed = 0; seed < 200; ++seed)
    EXPECT_FALSE(read_rom(test::random_bytes(0x8000, seed)));
  EXPECT_FALSE(read_rom(test::filled(0x20000, 0)));
  EXPECT_FALSE(read_rom(test::filled(0x20000, 0xFF)));
}

}  // namespace
}  // namespace bayswap
