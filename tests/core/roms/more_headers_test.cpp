// Headers assembled by hand for nes, md, sms, gba, nds, discs and 3ds cards.
#include <gtest/gtest.h>

#include <cstdio>
#include <memory>
#include <random>

#include "bayswap/rom.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::bytes;
using test::put;

Bytes nes(unsigned flags6, unsigned flags7, unsigned ram) {
  return test::operator+(
      bytes({'N', 'E', 'S', 0x1A, 2, 1, flags6, flags7, 0, 0, ram, 0, 0, 0, 0, 0}), Bytes(0xA000));
}

TEST(NesRom, TellsBatteryAndSize) {
  EXPECT_EQ(*read_rom(nes(0x12, 0, 0))->chips, (std::vector<Chip>{{"sram", 0}}));
  EXPECT_TRUE(read_rom(nes(0x10, 0, 0))->chips->empty());
  EXPECT_EQ(*read_rom(nes(0x12, 0x08, 0x70))->chips, (std::vector<Chip>{{"sram", 8192}}));
  EXPECT_EQ(*read_rom(nes(0x12, 0x08, 0x97))->chips, (std::vector<Chip>{{"sram", 32768}}));
  EXPECT_TRUE(read_rom(nes(0x12, 0x08, 0x07))->chips->empty());
}

Bytes md(const std::string& region, unsigned type, unsigned kind, unsigned start, unsigned end) {
  Bytes rom(0x400);
  put(rom, 0x100, std::string_view("SEGA MEGA DRIVE "));
  put(rom, 0x120, std::string(48, ' '));
  put(rom, 0x150, std::string("QUARRY    CHOIR") + std::string(33, ' '));
  put(rom, 0x180, std::string_view("GM 00012345-01"));
  put(rom, 0x1B0, std::string_view("RA"));
  put(rom, 0x1B2, type);
  put(rom, 0x1B3, kind);
  put(rom, 0x1B4, bytes({start >> 24U, start >> 16U & 255U, start >> 8U & 255U, start & 255U}));
  put(rom, 0x1B8, bytes({end >> 24U, end >> 16U & 255U, end >> 8U & 255U, end & 255U}));
  put(rom, 0x1F0, std::string_view("   "));
  put(rom, 0x1F0, region);
  return rom;
}

TEST(MdRom, ReadsChipAndRegion) {
  const auto odd = read_rom(md("U", 0xF8, 0x20, 0x200001, 0x203FFF));
  ASSERT_TRUE(odd);
  EXPECT_EQ(odd->game.title, "QUARRY CHOIR");
  EXPECT_EQ(odd->game.serial, "GM 00012345-01");
  EXPECT_EQ(odd->game.region, Region::america);
  EXPECT_EQ(*odd->chips, (std::vector<Chip>{{"sram", 0x2000}}));
  EXPECT_EQ(*read_rom(md("E", 0xE0, 0x20, 0x200000, 0x20FFFF))->chips,
            (std::vector<Chip>{{"sram", 0x10000}}));
  EXPECT_TRUE(read_rom(md("E", 0xB8, 0x20, 0x200001, 0x203FFF))->chips->empty());
  EXPECT_EQ(*read_rom(md("E", 0xE8, 0x40, 0x200001, 0x200001))->chips,
            (std::vector<Chip>{{"eeprom", 0}}));
  EXPECT_EQ(*read_rom(md("E", 0xF8, 0x20, 9, 3))->chips, (std::vector<Chip>{{"sram", 0}}));
  EXPECT_EQ(read_rom(md("E", 0xF8, 0x20, 0, 1))->game.region, Region::europe);
  EXPECT_EQ(read_rom(md("J", 0xF8, 0x20, 0, 1))->game.region, Region::japan);
  EXPECT_EQ(read_rom(md("8", 0xF8, 0x20, 0, 1))->game.region, Region::europe);
  EXPECT_EQ(read_rom(md("4", 0xF8, 0x20, 0, 1))->game.region, Region::america);
  EXPECT_EQ(read_rom(md("JUE", 0xF8, 0x20, 0, 1))->game.region, Region::any);
  EXPECT_EQ(read_rom(md("F", 0xF8, 0x20, 0, 1))->game.region, Region::any);
}

Bytes sms() {
  Bytes rom(0x8000);
  put(rom, 0x7FF0, std::string_view("TMR SEGA"));
  put(rom, 0x7FFE, 0x03U);
  put(rom, 0x7FFF, 0x3CU);
  return rom;
}

TEST(SmsRom, ReadsRegionAndVersion) {
  const auto info = read_rom(sms());
  ASSERT_TRUE(info);
  EXPECT_EQ(info->system, System::sms);
  EXPECT_EQ(info->game.region, Region::japan);
  EXPECT_EQ(info->version, 3);
}

Bytes gba(const std::string& marker, std::size_t at = 0x1000) {
  Bytes rom = test::random_bytes(0x4000, 77);
  // The first bytes of the start-up picture that the hardware demands.
  put(rom, 0x04, bytes({0x24, 0xFF, 0xAE, 0x51, 0x69, 0x9A, 0xA2, 0x21}));
  std::fill_n(rom.begin() + 0xA0, 0x20, std::byte{0});
  put(rom, 0xA0, std::string_view("MOSS & MOTOR"));
  put(rom, 0xAC, std::string_view("BMMP"));
  put(rom, 0xB0, std::string_view("BS"));
  put(rom, 0xB2, 0x96U);
  put(rom, 0xBC, 1U);
  unsigned sum = 0x19;
  for (std::size_t i = 0xA0; i < 0xBD; ++i) sum += std::to_integer<unsigned>(rom[i]);
  put(rom, 0xBD, (0U - sum) & 0xFFU);
  put(rom, at, marker);
  return rom;
}

TEST(GbaRom, FindsTheMarker) {
  const std::vector<std::pair<std::string, Chip>> markers{
      {"EEPROM_V124", {"eeprom", 0}},        {"SRAM_V112", {"sram", 0x8000}},
      {"SRAM_F_V100", {"sram", 0x8000}},     {"FLASH_V126", {"flash", 0x10000}},
      {"FLASH512_V131", {"flash", 0x10000}}, {"FLASH1M_V103", {"flash", 0x20000}}};
  for (const auto& [text, chip] : markers) {
    const auto info = read_rom(gba(text));
    ASSERT_TRUE(info && info->chips) << text;
    EXPECT_EQ(*info->chips, std::vector<Chip>{chip});
    EXPECT_EQ(info->game.code, "BMMP");
    EXPECT_EQ(info->game.region, Region::europe);
    EXPECT_EQ(info->version, 1);
    EXPECT_TRUE(info->header_ok);
    EXPECT_FALSE(read_rom(gba(text, 0x1002))->chips) << "markers are word-aligned";
  }
  EXPECT_FALSE(read_rom(gba("FLASH_VERSION"))->chips);
  EXPECT_TRUE(read_rom(gba("SRAM_V1", 0x3FF4))->chips) << "at the very end";
  Bytes broken = gba("SRAM_V112");
  broken[0xBD] ^= std::byte{1};
  EXPECT_FALSE(read_rom(broken)->header_ok);
}

Bytes nds() {
  Bytes rom(0x400);
  put(rom, 0, std::string_view("LEDGER"));
  put(rom, 0x0C, std::string_view("ALLE"));
  put(rom, 0x10, std::string_view("BS"));
  put(rom, 0xC0, bytes({0x24, 0xFF, 0xAE, 0x51, 0x69, 0x9A, 0xA2, 0x21}));
  put(rom, 0x15C, bytes({0x56, 0xCF}));
  // CRC-16, reflected, polynomial A001, start FFFF, bit by bit.
  unsigned crc = 0xFFFF;
  for (std::size_t i = 0; i < 0x15E; ++i) {
    crc ^= std::to_integer<unsigned>(rom[i]);
    for (int k = 0; k < 8; ++k) crc = (crc & 1U) != 0 ? crc >> 1U ^ 0xA001U : crc >> 1U;
  }
  put(rom, 0x15E, bytes({crc & 255U, crc >> 8U}));
  return rom;
}

TEST(NdsRom, ChecksItsHeader) {
  auto info = read_rom(nds());
  ASSERT_TRUE(info);
  EXPECT_EQ(info->system, System::nds);
  EXPECT_EQ(info->game.title, "LEDGER");
  EXPECT_EQ(info->game.code, "ALLE");
  EXPECT_TRUE(info->header_ok);
  Bytes broken = nds();
  broken[0x80] = std::byte{9};
  info = read_rom(broken);
  ASSERT_TRUE(info);
  EXPECT_FALSE(info->header_ok);
}

Bytes disc(bool wii) {
  Bytes rom(0x500);
  put(rom, 0, std::string_view("GKFEBS"));
  put(rom, 7, 1U);
  if (wii)
    put(rom, 0x18, bytes({0x5D, 0x1C, 0x9E, 0xA3}));
  else
    put(rom, 0x1C, bytes({0xC2, 0x33, 0x9F, 0x3D}));
  put(rom, 0x20, std::string_view("KITE FOUNDRY"));
  return rom;
}

Bytes card_3ds() {
  Bytes rom(0x600);
  put(rom, 0x100, std::string_view("NCSD"));
  put(rom, 0x108, bytes({0x00, 0x34, 0x12, 0x00, 0x00, 0x00, 0x04, 0x00}));
  put(rom, 0x120, 1U);
  put(rom, 0x300, std::string_view("NCCH"));
  put(rom, 0x350, std::string_view("CTR-P-ANRP"));
  return rom;
}

TEST(Discs, TellTheirIds) {
  for (const bool wii : {false, true}) {
    const auto info = read_rom(disc(wii));
    ASSERT_TRUE(info);
    EXPECT_EQ(info->system, wii ? System::wii : System::gc);
    EXPECT_EQ(info->game.code, "GKFE");
    EXPECT_EQ(info->game.maker, "BS");
    EXPECT_EQ(info->game.title, "KITE FOUNDRY");
    EXPECT_EQ(info->game.region, Region::america);
  }
  const auto card = read_rom(card_3ds());
  ASSERT_TRUE(card);
  EXPECT_EQ(card->game.title_id, "0004000000123400");
  EXPECT_EQ(card->game.serial, "CTR-P-ANRP");
  EXPECT_EQ(card->game.region, Region::europe);
}

TEST(AnyHeader, MutationsNeverBreakTheReaders) {
  const std::vector<Bytes> good{nes(0x12, 8, 0x70),
                                md("JUE", 0xF8, 0x20, 1, 3),
                                sms(),
                                gba("SRAM_V112"),
                                nds(),
                                disc(true),
                                disc(false),
                                card_3ds()};
  std::mt19937 numbers(6);
  for (int round = 0; round < 8000; ++round) {
    Bytes rom = good[numbers() % good.size()];
    for (int i = 0; i < 6; ++i)
      put(rom, numbers() % rom.size(), static_cast<unsigned>(numbers() % 256));
    if (round % 3 == 0) rom.resize(numbers() % rom.size());
    const auto info = read_rom(rom);
    if (!info) continue;
    for (const char c : info->game.title + info->game.code + info->game.serial)
      EXPECT_GE(static_cast<unsigned char>(c), 0x20);
  }
}

// The system's own file(1) knows some of these families too.
TEST(AnyHeader, FileCommandAgrees) {
  const test::TempFolder folder;
  const std::vector<std::tuple<std::string, Bytes, std::string, System>> known{
      {"a", nes(0x12, 0, 0), "NES", System::nes},
      {"b", md("U", 0xF8, 0x20, 1, 3), "Mega Drive", System::md},
      {"c", sms(), "Master System", System::sms},
      {"d", gba("SRAM_V112"), "Game Boy Advance", System::gba},
      {"e", nds(), "Nintendo DS", System::nds},
      {"f", disc(false), "GameCube", System::gc},
      {"g", disc(true), "Wii", System::wii},
      {"h", card_3ds(), "3DS", System::n3ds}};
  for (const auto& [name, rom, word, system] : known) {
    const test::Path path = folder.write(name, rom);
    const std::unique_ptr<FILE, int (*)(FILE*)> pipe(
        ::popen(("file -b '" + path.string() + "'").c_str(), "r"), ::pclose);
    char text[512] = {};
    ASSERT_NE(std::fgets(text, sizeof text, pipe.get()), nullptr);
    EXPECT_NE(std::string(text).find(word), std::string::npos) << name << ": " << text;
    EXPECT_EQ(read_rom(rom)->system, system);
  }
}

}  // namespace
}  // namespace bayswap
