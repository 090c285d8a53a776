#include <gtest/gtest.h>

#include <array>
#include <functional>

#include "bayswap/layout.h"
#include "support/bytes.h"
#include "support/layouts.h"

namespace bayswap {
namespace {

using test::bytes;
using test::filled;
using test::operator+;
using test::random_bytes;

// Ten u32le registers: 41 s, 17 min, 6 h, day 0x121 (low 0x21, high bit 0), twice; then the time.
const Bytes kRegisters = bytes({41, 0, 0, 0, 17, 0, 0, 0, 6, 0, 0, 0, 0x21, 0, 0, 0, 1, 0, 0, 0,
                                41, 0, 0, 0, 17, 0, 0, 0, 6, 0, 0, 0, 0x21, 0, 0, 0, 1, 0, 0, 0});
const Bytes kTime32 = bytes({0x40, 0x5E, 0x70, 0x69});
const Bytes kTime64 = kTime32 + bytes({0, 0, 0, 0});

TEST(GbClock, WidensAndNarrowsTheTime) {
  const Bytes ram = random_bytes(0x2000, 1);
  const Bytes file44 = ram + kRegisters + kTime32;
  const Bytes file48 = ram + kRegisters + kTime64;
  const auto narrow = test::layout("gb-battery-clock44").read(file44, {});
  ASSERT_TRUE(narrow);
  const auto widened = test::layout("gb-battery-clock48").write({narrow->saves, std::nullopt, {}});
  ASSERT_TRUE(widened);
  EXPECT_EQ(widened->bytes, file48);
  const auto wide = test::layout("gb-battery-clock48").read(file48, {});
  ASSERT_TRUE(wide);
  const auto narrowed = test::layout("gb-battery-clock44").write({wide->saves, std::nullopt, {}});
  ASSERT_TRUE(narrowed);
  EXPECT_EQ(narrowed->bytes, file44);
  EXPECT_TRUE(narrowed->losses.empty());
  EXPECT_TRUE(same_progress(System::gb, narrow->saves[0].parts[1], wide->saves[0].parts[1]));
}

TEST(GbClock, NamesATimeThatDoesNotFit) {
  Bytes late = random_bytes(0x2000, 2) + kRegisters + bytes({0, 0, 0, 0, 1, 0, 0, 0});
  const auto content = test::layout("gb-battery-clock48").read(late, {});
  ASSERT_TRUE(content);
  const auto written = test::layout("gb-battery-clock44").write({content->saves, std::nullopt, {}});
  ASSERT_TRUE(written);
  EXPECT_TRUE(has_code(written->losses, Code::loses_parts));
}

TEST(GbClock, LosesTheClockByName) {
  const auto content =
      test::layout("gb-battery-clock44").read(random_bytes(0x8000, 3) + kRegisters + kTime32, {});
  ASSERT_TRUE(content);
  const auto written = test::layout("gb-battery").write({content->saves, std::nullopt, {}});
  ASSERT_TRUE(written);
  ASSERT_EQ(written->losses.size(), 1U);
  EXPECT_NE(written->losses[0].text.find("clock"), std::string::npos);
}

TEST(GbClock, MayStandAlone) {
  const auto content = test::layout("gb-battery-clock48").read(kRegisters + kTime64, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(content->saves[0].parts.size(), 1U);
  EXPECT_FALSE(content->saves[0].blank());
}

TEST(GbClock, JudgesImpossibleValues) {
  Bytes wrong = kRegisters + kTime32;
  wrong[0] = std::byte{61};
  wrong[16] = std::byte{0x3E};
  const auto content = test::layout("gb-battery-clock44").read(random_bytes(0x2000, 4) + wrong, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(content->findings.size(), 2U);
  EXPECT_TRUE(has_code(content->findings, Code::clock_out_of_range));
}

TEST(GbClock, IsToldFromAnUnknownTrailer) {
  const Bytes ram = random_bytes(0x2000, 5);
  Hints hints;
  hints.system = System::gb;
  EXPECT_EQ(identify(ram + kRegisters + kTime64, hints).front().layout->info().id,
            "gb-battery-clock48");
  const auto other = identify(ram + random_bytes(48, 6), hints);
  ASSERT_FALSE(other.empty());
  EXPECT_EQ(other.front().layout->info().id, "gb-battery");
}

TEST(GbNibbleChip, ComparesLowNibblesOnly) {
  Bytes low(512);
  Bytes high(512);
  for (std::size_t i = 0; i < 512; ++i) {
    low[i] = static_cast<std::byte>(i % 16);
    high[i] = static_cast<std::byte>(0xF0U | i % 16);
  }
  const auto a = test::layout("gb-battery").read(low, {});
  const auto b = test::layout("gb-battery").read(high, {});
  ASSERT_TRUE(a && b);
  EXPECT_TRUE(same_progress(System::gb, a->saves[0].parts[0], b->saves[0].parts[0]));
  EXPECT_FALSE(a->saves[0].blank());
  const auto blank = test::layout("gb-battery").read(filled(256, 0xF0) + filled(256, 0x00), {});
  ASSERT_TRUE(blank);
  EXPECT_TRUE(blank->saves[0].blank());
}

// Programs keep its 512 cells a byte each, with the other halves as zeros or ones, two in a byte,
// or with erased bytes behind them.
TEST(GbNibbleChip, GoesBetweenAllFormsThatProgramsKeep) {
  using Cells = std::array<unsigned, 512>;
  const auto cells_of = [](unsigned factor) {
    Cells cells{};
    for (unsigned i = 0; i < cells.size(); ++i) cells[i] = (i * factor + i / 16) % 16;
    return cells;
  };
  const auto bytes = [](const Cells& cells, unsigned other_half) {
    Bytes file;
    for (const unsigned cell : cells) file.push_back(static_cast<std::byte>(other_half | cell));
    return file;
  };
  const std::vector<std::function<Bytes(const Cells&)>> forms{
      [&](const Cells& cells) { return bytes(cells, 0x00); },
      [&](const Cells& cells) { return bytes(cells, 0xF0); },
      [](const Cells& cells) {
        Bytes file;
        for (std::size_t i = 0; i < cells.size(); i += 2)
          file.push_back(static_cast<std::byte>(cells[i] | cells[i + 1] << 4U));
        return file;
      },
      [&](const Cells& cells) { return bytes(cells, 0xF0) + filled(0x2000 - 512, 0xFF); },
  };
  Hints hints;
  hints.system = System::gb;
  hints.chips = {{"sram", 512}};
  hints.chips_from_header = true;
  const Cells cells = cells_of(7);
  for (std::size_t from = 0; from < forms.size(); ++from)
    for (std::size_t to = 0; to < forms.size(); ++to) {
      SCOPED_TRACE(std::to_string(from) + " to " + std::to_string(to));
      const Bytes file = forms[from](cells);
      const Bytes mould = forms[to](cells_of(5));
      const auto guess = identify(file, hints).front();
      EXPECT_EQ(guess.layout->info().id, from == 2 ? "gb-battery-nibbles" : "gb-battery");
      const auto content = guess.layout->read(file, hints);
      ASSERT_TRUE(content) << content.error().text;
      const Layout* target = identify(mould, hints).front().layout;
      const auto written =
          target->write({std::span(&content->saves.front(), 1), ByteView(mould), hints});
      ASSERT_TRUE(written) << written.error().text;
      EXPECT_TRUE(written->bytes == forms[to](cells));
    }
  // Other games' files of 256 bytes are a serial EEPROM's.
  hints.chips = {{"sram", 256}};
  EXPECT_EQ(identify(test::random_bytes(256, 1), hints).front().layout->info().id, "gb-battery");
}

// The clock in a file of its own beside the save: 48, 44 or 8 bytes.
TEST(GbRtc, TheClockLiesBesideTheSave) {
  const auto layout = find_layout("gb-battery-rtc");
  ASSERT_TRUE(layout);
  const Bytes ram = test::random_bytes(0x8000, 81);
  // Two days, three hours, four minutes and five seconds at 1,700,000,000.
  Bytes clock(48);
  for (const std::size_t at : {0U, 20U}) {
    clock[at] = std::byte{5};
    clock[at + 4] = std::byte{4};
    clock[at + 8] = std::byte{3};
    clock[at + 12] = std::byte{2};
  }
  constexpr std::uint64_t kTime = 1'700'000'000;
  for (std::size_t i = 0; i < 8; ++i) clock[40 + i] = static_cast<std::byte>(kTime >> (8 * i));
  constexpr std::uint64_t kBase = kTime - (((2 * 24 + 3) * 60 + 4) * 60 + 5);
  Bytes base(8);
  for (std::size_t i = 0; i < 8; ++i) base[i] = static_cast<std::byte>(kBase >> (8 * i));
  const Bytes narrow(clock.begin(), clock.begin() + 44);
  for (const Bytes& file : {clock, narrow, base}) {
    Hints hints;
    hints.second_file = file;
    const auto guesses = identify(ram, hints);
    ASSERT_FALSE(guesses.empty());
    EXPECT_EQ(guesses.front().layout, *layout) << file.size();
    const auto content = (*layout)->read(ram, hints);
    ASSERT_TRUE(content);
    const Save& save = content->saves.front();
    ASSERT_EQ(save.parts.size(), 2U);
    EXPECT_TRUE(same_progress(System::gb, save.parts[1], {"clock", clock, false, {}}))
        << file.size();
    // Written anew beside a file of each width.
    for (const Bytes& there : {clock, narrow, base}) {
      Hints target;
      target.second_file = there;
      const auto written = (*layout)->write({std::span(&save, 1), std::nullopt, target});
      ASSERT_TRUE(written);
      EXPECT_TRUE(written->bytes == ram);
      EXPECT_EQ(written->second_file.size(), there.size());
      if (there.size() == 8) {
        EXPECT_TRUE(written->second_file == base) << "from " << file.size();
      }
    }
  }
  // A game without a clock has none, and what is no clock is none.
  Hints without;
  without.system = System::gb;
  without.chips = std::vector<Chip>{{"sram", 0x8000}};
  without.second_file = clock;
  EXPECT_FALSE((*layout)->recognise(ram, without));
  without.chips.reset();
  without.second_file = test::random_bytes(48, 82);
  EXPECT_FALSE((*layout)->recognise(ram, without));
}

}  // namespace
}  // namespace bayswap
