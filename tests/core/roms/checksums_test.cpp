// Checksums over whole ROMs, the logo, and a cartridge's clock; expected values by hand.
#include <gtest/gtest.h>

#include "core/layouts/cartridge/clock.h"
#include "core/roms/logo.h"
#include "core/roms/whole_check.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

// In pieces of any size, which must not matter.
WholeCheck check(System system, const Bytes& rom, std::size_t piece) {
  RomChecksum checksum(system, rom.size());
  for (std::size_t at = 0; at < rom.size(); at += piece)
    checksum.add(ByteView(rom).subspan(at, std::min(piece, rom.size() - at)));
  return checksum.verdict();
}

void expect(System system, Bytes rom, WholeCheck verdict) {
  for (const std::size_t piece : {1U, 7U, 512U, 0x3001U, 0x1000000U})
    EXPECT_EQ(check(system, rom, piece), verdict) << to_string(system) << " " << piece;
  if (verdict != WholeCheck::holds) return;
  rom[rom.size() - 1] ^= std::byte{4};
  EXPECT_EQ(check(system, rom, 512), WholeCheck::fails);
}

TEST(RomChecksums, OfGb) {
  Bytes rom(0x8000, std::byte{1});  // 0x8000 - 2 ones
  test::put(rom, 0x14E, test::bytes({0x7F, 0xFE}));
  expect(System::gb, rom, WholeCheck::holds);
  expect(System::gb, Bytes(0x100, std::byte{1}), WholeCheck::none);
}

TEST(RomChecksums, OfSnesWithARestThatStandsTwice) {
  // 32 KiB of ones and 16 KiB of twos that count twice: 0x8000 + 2 * 0x8000 = 0x18000, and what
  // the header's four bytes add: they are FF FF 00 00 in sum, 0x1FE, in place of four ones.
  Bytes rom(0xC000, std::byte{1});
  std::fill(rom.begin() + 0x8000, rom.end(), std::byte{2});
  const unsigned sum = 0x18000 - 4 + 0x1FE;
  test::put(rom, 0x7FDC, ~sum & 0xFFU);
  test::put(rom, 0x7FDD, ~sum >> 8U & 0xFFU);
  test::put(rom, 0x7FDE, sum & 0xFFU);
  test::put(rom, 0x7FDF, sum >> 8U & 0xFFU);
  expect(System::snes, rom, WholeCheck::holds);
  expect(System::snes, Bytes(0x8000, std::byte{1}), WholeCheck::none);
}

TEST(RomChecksums, OfMdLeavesTheHeaderOut) {
  Bytes rom(0x400, std::byte{0});
  test::put(rom, 0x200, test::bytes({0x12, 0x34, 0xF0, 0x01}));  // 0x1234 + 0xF001 = 0x10235
  test::put(rom, 0x18E, test::bytes({0x02, 0x35}));
  test::put(rom, 0x10, test::bytes({0xFF, 0xFF}));
  expect(System::md, rom, WholeCheck::holds);
}

TEST(RomChecksums, OthersHaveNone) {
  expect(System::gba, test::random_bytes(0x8000, 1), WholeCheck::none);
  RomChecksum cut(System::gb, 0x8000);
  cut.add(test::random_bytes(0x7FFF, 1));
  EXPECT_EQ(cut.verdict(), WholeCheck::none);
}

TEST(Logos, OthersThanTheConsolesDoNotHold) {
  EXPECT_FALSE(logo_holds(System::gb, test::random_bytes(0x8000, 1)));
  EXPECT_FALSE(logo_holds(System::gba, test::random_bytes(0x8000, 1)));
  EXPECT_FALSE(logo_holds(System::gb, test::random_bytes(0x120, 1)));
  EXPECT_FALSE(logo_holds(System::gba, {}));
  EXPECT_TRUE(logo_holds(System::snes, {}));
}

TEST(ClocksOnChips, AreWidened) {
  // Five registers stand for the latched ones as well; then the time, 0x0102030405.
  const Bytes five = test::bytes({1, 2, 3, 4, 0x41});
  Bytes wanted(48, std::byte{0});
  for (std::size_t i = 0; i < 5; ++i) wanted[4 * i] = wanted[20 + 4 * i] = five[i];
  test::put(wanted, 40, test::bytes({5, 4, 3, 2, 1}));
  EXPECT_EQ(clock_on_chip(five, 0x0102030405), wanted);
  Bytes ten = test::bytes({1, 2, 3, 4, 0x41, 9, 8, 7, 6, 5});
  for (std::size_t i = 0; i < 5; ++i) wanted[20 + 4 * i] = ten[5 + i];
  EXPECT_EQ(clock_on_chip(ten, 0x0102030405), wanted);
  // What is a clock's trailer already keeps its own time.
  EXPECT_EQ(clock_on_chip(wanted, 99), wanted);
  for (const std::size_t size : {0U, 4U, 6U, 11U, 47U, 512U})
    EXPECT_EQ(clock_on_chip(Bytes(size, std::byte{0xFF}), 1), std::nullopt) << size;
}

}  // namespace
}  // namespace bayswap
