#include <gtest/gtest.h>

#include "bayswap/layout.h"
#include "core/bytes/order.h"
#include "core/layouts/cartridge/chip_table.h"
#include "demo/makers.h"
#include "support/bytes.h"
#include "support/layouts.h"

namespace bayswap {
namespace {

using test::filled;
using test::operator+;
using test::random_bytes;

Save read_one(std::string_view id, ByteView file, const Hints& hints = {}) {
  auto content = test::layout(id).read(file, hints);
  EXPECT_TRUE(content) << id;
  return std::move(content->saves.front());
}

// The container by hand: EEPROM 0x800, four paks 0x8000, SRAM 0x8000, flash 0x20000.
struct Chips {
  Bytes eeprom = random_bytes(0x800, 1);
  Bytes paks = random_bytes(4 * 0x8000, 2);
  Bytes sram = random_bytes(0x8000, 3);
  Bytes flash = random_bytes(0x20000, 4);

  [[nodiscard]] Bytes container(bool reversed) const {
    Bytes tail = sram + flash;
    if (reversed)
      for (std::size_t i = 0; i < tail.size(); i += 4)
        std::reverse(tail.begin() + static_cast<std::ptrdiff_t>(i),
                     tail.begin() + static_cast<std::ptrdiff_t>(i + 4));
    return eeprom + paks + tail;
  }
};

TEST(N64Combined, SplitsAndJoinsInBothOrders) {
  const Chips chips;
  for (const bool reversed : {false, true}) {
    const std::string id = reversed ? "n64-combined-swap32" : "n64-combined";
    const Bytes file = chips.container(reversed);
    ASSERT_EQ(file.size(), 296'960U);
    const Save save = read_one(id, file);
    ASSERT_EQ(save.parts.size(), 7U);
    EXPECT_EQ(save.part("eeprom")->data, chips.eeprom);
    EXPECT_EQ(save.part("pak3")->data,
              Bytes(chips.paks.begin() + 0x10000, chips.paks.begin() + 0x18000));
    EXPECT_EQ(save.part("sram")->data, chips.sram);
    EXPECT_EQ(save.part("flash")->data, chips.flash);
    const auto written = test::layout(id).write({std::span(&save, 1), std::nullopt, {}});
    ASSERT_TRUE(written);
    EXPECT_EQ(written->bytes, file);
    EXPECT_TRUE(written->losses.empty());
  }
}

TEST(N64Combined, TellsTheSmallEepromByTheErasedRestOrTheGame) {
  Bytes file = filled(0x48800, 0xFF);
  test::put(file, 0, random_bytes(512, 5));
  EXPECT_EQ(read_one("n64-combined", file).part("eeprom")->data.size(), 512U);
  Hints large;
  large.chips = std::vector<Chip>{{"eeprom", 0x800}};
  EXPECT_EQ(read_one("n64-combined", file, large).part("eeprom")->data.size(), 0x800U);
  test::put(file, 0x7FF, 1U);
  EXPECT_EQ(read_one("n64-combined", file).part("eeprom")->data.size(), 0x800U);
}

TEST(N64Combined, KeepsWhatIsNotCarried) {
  const Chips chips;
  const Bytes mould = chips.container(true) + random_bytes(40, 6);
  Save save;
  save.system = System::n64;
  save.parts.push_back({"sram", random_bytes(0x8000, 7), false});
  const auto written =
      test::layout("n64-combined-swap32").write({std::span(&save, 1), ByteView(mould), {}});
  ASSERT_TRUE(written);
  Bytes expected = mould;
  Bytes swapped = save.parts[0].data;
  reverse_units(swapped, 4);
  test::put(expected, 0x20800, swapped);
  EXPECT_EQ(written->bytes, expected);
}

TEST(N64Combined, CountsEmptyPaksAsBlank) {
  Bytes pak = demo::pak_with_note("NGPE", "BS", 3);
  Bytes file = filled(0x48800, 0x00);
  test::put(file, 0x800, pak);
  EXPECT_FALSE(read_one("n64-combined", file).part("pak1")->blank);
  std::fill_n(pak.begin() + 0x300, 32, std::byte{0});
  test::put(file, 0x800, pak);
  const Save save = read_one("n64-combined", file);
  EXPECT_TRUE(save.part("pak1")->blank);
  EXPECT_TRUE(save.blank());
}

TEST(N64Chips, SwapOnlySramAndFlash) {
  const Bytes chip = random_bytes(0x8000, 8);
  Bytes by16 = chip;
  for (std::size_t i = 0; i < by16.size(); i += 2) std::swap(by16[i], by16[i + 1]);
  EXPECT_EQ(read_one("n64-sram-swap16", by16).part("sram")->data, chip);
  EXPECT_EQ(read_one("n64-sram", chip).part("sram")->data, chip);
  EXPECT_EQ(layouts().find("n64-eeprom4k-swap32"), nullptr);
  EXPECT_EQ(layouts().find("n64-pak-swap32"), nullptr);
}

TEST(N64Chips, ByteOrderIsReadFromTheContent) {
  Hints hints;
  hints.system = System::n64;
  hints.words = {"COPPER TIDE"};
  Bytes chip = random_bytes(0x8000, 9);
  test::put(chip, 0x100, std::string_view("COPPER TIDE"));
  EXPECT_EQ(identify(chip, hints).front().layout->info().id, "n64-sram");
  reverse_units(chip, 4);
  EXPECT_EQ(identify(chip, hints).front().layout->info().id, "n64-sram-swap32");
  reverse_units(chip, 4);
  reverse_units(chip, 2);
  EXPECT_EQ(identify(chip, hints).front().layout->info().id, "n64-sram-swap16");
}

TEST(N64Chips, LossesAreNamed) {
  const Chips chips;
  const Save save = read_one("n64-combined", chips.container(false));
  const auto written = test::layout("n64-sram").write({std::span(&save, 1), std::nullopt, {}});
  ASSERT_TRUE(written);
  EXPECT_EQ(written->bytes, chips.sram);
  EXPECT_EQ(written->losses.size(), 6U);
  for (const Finding& loss : written->losses) EXPECT_EQ(loss.code, Code::loses_parts);
}

// A program may register or look for layouts before main() begins.
const std::size_t kOrdersAtStart = chip_table().size() + [] {
  std::size_t orders = 0;
  for (const ChipSpec& chip : chip_table())
    if (chip.id == std::string("n64-sram")) orders = 1000 * chip.orders.size();
  return orders;
}();

TEST(ChipTable, IsCompleteBeforeTheProgramBegins) {
  EXPECT_EQ(kOrdersAtStart, chip_table().size() + 3000);
}

}  // namespace
}  // namespace bayswap
