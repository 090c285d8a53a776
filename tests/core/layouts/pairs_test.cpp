// Every pair of layouts of one system: byte-exact, or with its named loss, never silent.
#include <gtest/gtest.h>

#include <map>

#include "bayswap/layout.h"
#include "support/bytes.h"
#include "support/layouts.h"

namespace bayswap {
namespace {

// What is left of a save when it goes through `other` and back into memory.
void check_pair(const Layout& from, const Layout& to, std::uint64_t size,
                std::map<std::string, int>& seen) {
  Bytes file = test::random_bytes(static_cast<std::size_t>(size), static_cast<std::uint32_t>(size));
  // A clock has to look like one.
  const bool clock = from.info().parts.back() == "clock" && from.info().second_file.empty();
  if (clock)
    for (std::size_t i = file.size() - (from.info().id.ends_with("44") ? 44 : 48); i < file.size();
         ++i)
      if (i % 4 != 0 || file.size() - i <= 8) file[i] = std::byte{0};
  const auto content = from.read(file, {});
  ASSERT_TRUE(content) << from.info().id << ": " << content.error().text;
  const Save& save = content->saves.front();
  const auto written = to.write({content->saves, std::nullopt, {}});
  const std::string pair = from.info().id + " " + std::to_string(size) + " to " + to.info().id;
  if (!written) {
    EXPECT_TRUE(written.error().code == Code::no_match ||
                written.error().code == Code::chip_differs)
        << pair;
    ++seen["refused"];
    return;
  }
  Hints beside;
  beside.second_file = written->second_file;
  const auto again = to.read(written->bytes, beside);
  ASSERT_TRUE(again) << pair << ": " << again.error().text;
  std::size_t kept = 0;
  for (const Part& part : save.parts) {
    const Part* there = again->saves.front().part(part.name);
    const bool same = there != nullptr && same_progress(save.system, part, *there);
    if (same || part.blank) ++kept;
  }
  if (written->losses.empty()) {
    EXPECT_EQ(kept, save.parts.size()) << pair << ": lost something in silence";
    ++seen["exact"];
  } else {
    EXPECT_LT(kept, save.parts.size()) << pair << ": names a loss that is none";
    EXPECT_TRUE(has_code(written->losses, Code::loses_parts)) << pair;
    ++seen["loss"];
  }
}

TEST(Pairs, AreExactOrNamed) {
  std::map<std::string, int> seen;
  for (const auto& from : layouts().all())
    for (const auto& to : layouts().all()) {
      if (from->info().system != to->info().system || from->info().kind != Kind::battery ||
          to->info().kind != Kind::battery)
        continue;
      for (const std::uint64_t size : from->info().file_sizes)
        if (size <= (1U << 20U)) check_pair(*from, *to, size, seen);
    }
  EXPECT_GT(seen["exact"], 150);
  EXPECT_GT(seen["loss"], 40);
  EXPECT_GT(seen["refused"], 50);
}

TEST(Resizing, GrowsWithErasedAndShrinksOverNothing) {
  Save save;
  save.system = System::snes;
  save.parts.push_back({"sram", test::random_bytes(0x800, 1), false});
  Hints large;
  large.chips = std::vector<Chip>{{"sram", 0x2000}};
  const auto grown = test::layout("snes-battery").write({std::span(&save, 1), std::nullopt, large});
  ASSERT_TRUE(grown);
  EXPECT_EQ(grown->bytes.size(), 0x2000U);
  EXPECT_TRUE(std::all_of(grown->bytes.begin() + 0x800, grown->bytes.end(),
                          [](std::byte b) { return b == std::byte{0}; }));
  save.parts[0].data = grown->bytes;
  Hints small;
  small.chips = std::vector<Chip>{{"sram", 0x800}};
  const auto shrunk =
      test::layout("snes-battery").write({std::span(&save, 1), std::nullopt, small});
  ASSERT_TRUE(shrunk);
  EXPECT_TRUE(shrunk->losses.empty());
  EXPECT_EQ(shrunk->bytes, test::random_bytes(0x800, 1));
  save.parts[0].data[0x1000] = std::byte{1};
  EXPECT_TRUE(has_code(
      test::layout("snes-battery").write({std::span(&save, 1), std::nullopt, small})->losses,
      Code::loses_parts));
}

TEST(Padding, MirroredImagesAreTheSmallerChip) {
  const Bytes chip = test::random_bytes(0x2000, 2);
  Bytes file;
  for (int i = 0; i < 4; ++i) file.insert(file.end(), chip.begin(), chip.end());
  const auto content = test::layout("snes-battery").read(file, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(content->saves[0].parts[0].data, chip);
  EXPECT_TRUE(has_code(content->findings, Code::padded));
  Save newer = content->saves[0];
  newer.parts[0].data = test::random_bytes(0x2000, 3);
  const auto kept = test::layout("snes-battery").write({std::span(&newer, 1), ByteView(file), {}});
  ASSERT_TRUE(kept);
  ASSERT_EQ(kept->bytes.size(), file.size());
  EXPECT_TRUE(std::equal(newer.parts[0].data.begin(), newer.parts[0].data.end(),
                         kept->bytes.begin() + 0x6000));
}

TEST(Padding, FilledImagesNeedTheGamesWord) {
  Bytes file = test::random_bytes(0x2000, 4);
  file.resize(0x8000, std::byte{0xFF});
  EXPECT_EQ(test::layout("gb-battery").read(file, {})->saves[0].parts[0].data.size(), 0x8000U);
  Hints hints;
  hints.chips = std::vector<Chip>{{"sram", 0x2000}};
  EXPECT_EQ(test::layout("gb-battery").read(file, hints)->saves[0].parts[0].data.size(), 0x2000U);
}

TEST(Doubled, ByteLinesKeepTheirFiller) {
  const Bytes chip = test::random_bytes(0x2000, 5);
  for (const unsigned filler : {0x00U, 0xFFU}) {
    for (const bool odd : {true, false}) {
      Bytes file(0x4000, static_cast<std::byte>(filler));
      for (std::size_t i = 0; i < chip.size(); ++i) file[2 * i + (odd ? 1 : 0)] = chip[i];
      Hints hints;
      hints.system = System::md;
      const auto guesses = identify(file, hints);
      ASSERT_FALSE(guesses.empty());
      EXPECT_EQ(guesses.front().layout->info().id, odd ? "md-battery-odd" : "md-battery-even");
      const auto content = guesses.front().layout->read(file, hints);
      ASSERT_TRUE(content);
      EXPECT_EQ(content->saves[0].parts[0].data, chip);
      EXPECT_EQ(guesses.front().layout->write({content->saves, ByteView(file), hints})->bytes,
                file);
    }
  }
}

TEST(GbaEeprom, OrderIsReadFromTheContent) {
  Bytes chip = test::filled(0x2000, 0);
  test::put(chip, 0x40,
            std::string_view("the lantern quay and the orchard gate at the winter station"));
  Bytes reversed = chip;
  for (std::size_t i = 0; i < reversed.size(); i += 8)
    std::reverse(reversed.begin() + static_cast<std::ptrdiff_t>(i),
                 reversed.begin() + static_cast<std::ptrdiff_t>(i + 8));
  Hints hints;
  hints.system = System::gba;
  EXPECT_EQ(identify(chip, hints).front().layout->info().id, "gba-eeprom8k");
  EXPECT_EQ(identify(reversed, hints).front().layout->info().id, "gba-eeprom8k-reversed");
  EXPECT_EQ(test::layout("gba-eeprom8k-reversed").read(reversed, hints)->saves[0].parts[0].data,
            chip);
}

TEST(Health, KnowsDeadBatteriesAndHoles) {
  const auto part = [&](const Bytes& data) {
    return test::layout("snes-battery").read(data, {})->saves[0].parts[0];
  };
  Bytes pattern(0x2000);
  for (std::size_t i = 0; i < pattern.size(); ++i)
    pattern[i] = i / 16 % 2 == 0 ? std::byte{0xFF} : std::byte{0};
  EXPECT_TRUE(part(pattern).blank);
  EXPECT_FALSE(part(test::random_bytes(0x2000, 6)).blank);
  Bytes holed = test::random_bytes(0x2000, 7);
  EXPECT_FALSE(
      has_code(test::layout("snes-battery").read(holed, {})->findings, Code::half_written));
  std::fill_n(holed.begin() + 0x800, 0x400, std::byte{0xFF});
  EXPECT_TRUE(has_code(test::layout("snes-battery").read(holed, {})->findings, Code::half_written));
}

// Moulds with a header and a trailer of any length.
class Mould : public testing::TestWithParam<std::pair<std::size_t, std::size_t>> {};

TEST_P(Mould, KeepsWhatSurroundsTheBody) {
  const auto [before, behind] = GetParam();
  const Bytes old = test::random_bytes(0x2000, 8);
  Bytes newer = old;
  for (std::size_t i = 0; i < newer.size(); i += 50) newer[i] = std::byte{7};
  using test::operator+;
  const Bytes header = test::random_bytes(before, 9);
  const Bytes trailer = test::random_bytes(behind, 10);
  const Bytes mould = header + old + trailer;
  Save save;
  save.system = System::snes;
  for (const Bytes& content : {newer, old}) {
    save.parts = {{"sram", content, false}};
    const auto written =
        imitate(test::layout("snes-battery"), {std::span(&save, 1), ByteView(mould), {}});
    ASSERT_TRUE(written) << written.error().text;
    EXPECT_EQ(written->bytes, header + content + trailer);
  }
}

INSTANTIATE_TEST_SUITE_P(Lengths, Mould,
                         testing::Values(std::pair{0, 0}, std::pair{0, 20}, std::pair{16, 0},
                                         std::pair{512, 0}, std::pair{64, 3000}, std::pair{5000, 1},
                                         std::pair{0x2000, 0x2000}));

TEST(MouldOf, ARandomFileIsRefused) {
  Save save;
  save.system = System::snes;
  save.parts = {{"sram", test::random_bytes(0x2000, 11), false}};
  const Bytes strange = test::random_bytes(0x2000 + 700, 12);
  const auto written =
      imitate(test::layout("snes-battery"), {std::span(&save, 1), ByteView(strange), {}});
  ASSERT_FALSE(written);
  EXPECT_EQ(written.error().code, Code::mould_differs);
}

}  // namespace
}  // namespace bayswap
