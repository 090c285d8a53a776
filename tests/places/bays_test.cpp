#include <gtest/gtest.h>

#include "bayswap/bay.h"
#include "demo/makers.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::TempFolder;

constexpr const char* kTwoBays = R"(# my places
[bay.den]
place = "/home/me/emulation"  # the flat
[[bay.den.shelf]]
system = "snes"
pattern = "saves/{stem}.srm"
layout = ["snes-battery"]
roms = "roms/snes"

# the handheld
[bay.ferry]
place = "/media/ferry"
)";

TEST(BayList, ReadsTheFileOfTheDesign) {
  const auto list = BayList::parse(kTwoBays, "bays.toml");
  ASSERT_TRUE(list) << list.error().text;
  const auto den = list->find("den");
  ASSERT_TRUE(den);
  EXPECT_EQ((*den)->shelves.at(0).pattern, "saves/{stem}.srm");
  EXPECT_EQ((*den)->shelves.at(0).system, System::snes);
  EXPECT_FALSE(list->find("attic"));
  EXPECT_EQ(list->find("attic").error().trouble, Trouble::usage);
}

TEST(BayList, PointsAtMistakes) {
  const std::vector<std::pair<std::string, std::string>> mistakes{
      {"[bay.den\n", "line 1"},
      {"[bay.den]\n", "'place' is missing"},
      {"[bay.den]\nplace = \"here\"\n", "absolute"},
      {"[bay.den]\nplace = \"/x\"\n[[bay.den.shelf]]\nsystem = \"tv\"\n", "line 4, column 10"},
      {"[bay.den]\nplace = \"/x\"\n[[bay.den.shelf]]\nsystem = \"gb\"\npattern = "
       "\"{stem}{slot}\"\nlayout=[\"gb-battery\"]\n",
       "two ways"},
      {"[bay.den]\nplace = \"/x\"\n[[bay.den.shelf]]\nsystem = \"gb\"\npattern = "
       "\"{stem}\"\nlayout=[\"gb-batery\"]\n",
       "line 6"},
      {"[bay.den]\nplace = \"/x\"\n[[bay.den.shelf]]\nsystem = \"gb\"\npattern = "
       "\"{stem}\"\nlayout=[]\n",
       "layout"},
      {"bay = 3\n", "[bay.NAME]"}};
  for (const auto& [text, word] : mistakes) {
    const auto list = BayList::parse(text, "bays.toml");
    ASSERT_FALSE(list) << text;
    EXPECT_EQ(list.error().code, Code::bad_bays);
    EXPECT_NE(list.error().text.find(word), std::string::npos) << list.error().text;
  }
}

TEST(BayList, ChangesOneBayAndKeepsTheRestAsWritten) {
  const TempFolder folder;
  const Path file = folder.write("bays.toml", std::string(kTwoBays));
  auto list = BayList::load(disk(), file);
  ASSERT_TRUE(list);
  Bay attic{"attic", "/media/attic \"x\"", {}, {}, {}};
  attic.shelves.push_back({System::gb, Kind::battery, "{stem}.sav", {"gb-battery"}, ".", 0, 0, {}});
  ASSERT_TRUE(list->put(disk(), file, attic));
  ASSERT_TRUE(list->remove(disk(), file, "den"));
  const Bytes now = test::read(file);
  const std::string text(reinterpret_cast<const char*>(now.data()), now.size());
  EXPECT_NE(text.find("# my places\n"), std::string::npos);
  EXPECT_NE(text.find("[bay.ferry]\nplace = \"/media/ferry\"\n"), std::string::npos);
  EXPECT_EQ(text.find("emulation"), std::string::npos);
  const auto again = BayList::load(disk(), file);
  ASSERT_TRUE(again) << again.error().text;
  EXPECT_EQ((*again->find("attic"))->place, "/media/attic \"x\"");
}

TEST(Catalog, ReadsGamesAndPointsAtMistakes) {
  const auto catalog = Catalog::parse(
      "[[game]]\ntitle=\"Copper "
      "Tide\"\nsystem=\"n64\"\nchip=\"sram\"\n[game.codes]\namerica=\"NCTE\"\neurope=\"NCTP\"\n",
      "c");
  ASSERT_TRUE(catalog) << catalog.error().text;
  RomInfo rom;
  rom.system = System::n64;
  rom.game.code = "NCTP";
  ASSERT_NE(catalog->find(rom), nullptr);
  EXPECT_EQ(*catalog->find(rom)->chips(), (std::vector<Chip>{{"sram", 0x8000}}));
  EXPECT_NE(catalog->find(System::n64, "COPPER TIDE (Europe)"), nullptr);
  EXPECT_EQ(catalog->find(System::gb, "Copper Tide"), nullptr);
  for (const std::string text :
       {"[[game]]\ntitle=\"x\"\n", "[[game]]\ntitle=\"x\"\nsystem=\"n64\"\nchip=\"tape\"\n",
        "game=1\n", "[[game]\n",
        "[[game]]\ntitle=\"x\"\nsystem=\"n64\"\n[game.codes]\nmoon=\"A\"\n"}) {
    const auto bad = Catalog::parse(text, "catalog.toml");
    ASSERT_FALSE(bad) << text;
    EXPECT_NE(bad.error().text.find("line"), std::string::npos);
  }
}

// Made-up habits: each places the saves of three games somewhere else.
struct Habit {
  std::string roms;
  std::string save;  // with STEM
  std::string pattern;
};

void PrintTo(const Habit& habit, std::ostream* out) {
  *out << habit.save;
}

class LearnHabit : public testing::TestWithParam<Habit> {};

TEST_P(LearnHabit, IsFoundFromExamples) {
  const TempFolder folder;
  const std::vector<std::string> stems{"Tin Orchard (Europe)", "Tin Orchard 2 [b]", "Tin"};
  for (std::size_t i = 0; i < stems.size(); ++i) {
    folder.write(GetParam().roms + stems[i] + ".gb",
                 demo::gb_rom("TIN ORCHARD " + std::to_string(i), 0x03, 2));
    std::string save = GetParam().save;
    for (std::size_t at = save.find("STEM"); at != std::string::npos; at = save.find("STEM"))
      save.replace(at, 4, stems[i]);
    folder.write(save, demo::progress("TIN", 0x2000, 3, std::byte{0xFF}));
  }
  folder.write("readme.txt", std::string("hello"));
  const auto bay = learn_bay(disk(), {}, "den", folder.path());
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_EQ(bay->shelves.size(), 1U);
  const Shelf& shelf = bay->shelves.front();
  EXPECT_EQ(shelf.pattern, GetParam().pattern);
  EXPECT_EQ(shelf.layout, std::vector<std::string>{"gb-battery"});
  EXPECT_EQ(shelf.explains, 3U);
  EXPECT_EQ(shelf.of, 3U);
  EXPECT_EQ(bay->unexplained.size(), 1U);
}

INSTANTIATE_TEST_SUITE_P(MadeUp, LearnHabit,
                         testing::Values(Habit{"", "STEM.sav", "{stem}.sav"},
                                         Habit{"gb/", "gb/STEM.sav", "gb/{stem}.sav"},
                                         Habit{"roms/", "saves/STEM.srm", "saves/{stem}.srm"},
                                         Habit{"r/", "s/STEM/STEM.dat", "s/{stem}/{stem}.dat"},
                                         Habit{"r/", "s/STEM/battery.bin", "s/{stem}/battery.bin"},
                                         Habit{"r/", "keep {1}/save-STEM.gb.keep",
                                               "keep {{1}}/save-{stem}.gb.keep"}));

TEST(LearnBay, CountsWhatItCannotExplain) {
  const TempFolder folder;
  folder.write("roms/Lantern Drift.sfc", demo::snes_rom("LANTERN DRIFT", 2, 3));
  folder.write("saves/Lantern Drift.srm", demo::progress("L", 0x2000, 1, std::byte{0}));
  folder.write("saves/Forgotten.srm", demo::progress("F", 0x2000, 2, std::byte{0}));
  folder.write("saves/Lantern Drift.state1", test::random_bytes(70'000, 1));
  const auto bay = learn_bay(disk(), {}, "den", folder.path());
  ASSERT_TRUE(bay);
  ASSERT_EQ(bay->shelves.size(), 2U);
  EXPECT_EQ(bay->shelves[0].explains, 1U);
  EXPECT_EQ(bay->shelves[0].of, 2U);
  EXPECT_EQ(bay->shelves[1].kind, Kind::state);
  EXPECT_EQ(bay->shelves[1].pattern, "saves/{stem}.state{slot}");
  EXPECT_EQ(bay->unexplained.size(), 1U);
}

TEST(LearnBay, ContentOfOneFileSettlesTheOrderForAll) {
  const TempFolder folder;
  Bytes spoken = test::filled(0x48800, 0xFF);
  test::put(spoken, 0x20800, demo::progress("COPPER TIDE", 0x8000, 4, std::byte{0xFF}));
  folder.write("Copper Tide.z64", demo::n64_rom("COPPER TIDE", "NCTE"));
  folder.write("Glacier Post.z64", demo::n64_rom("GLACIER POST", "NGPE"));
  folder.write("Copper Tide.srm", spoken);
  folder.write("Glacier Post.srm", test::filled(0x48800, 0xFF));
  const auto bay = learn_bay(disk(), {}, "den", folder.path());
  ASSERT_TRUE(bay);
  ASSERT_EQ(bay->shelves.size(), 1U);
  EXPECT_EQ(bay->shelves[0].layout, std::vector<std::string>{"n64-combined"});
}

// People name the folder of the saves; the ROMs lie somewhere else.
TEST(LearnBay, SavesAloneAskForTheirRoms) {
  const TempFolder folder;
  folder.write("battery/One Game (Japan).srm", test::random_bytes(8192, 1));
  const auto bay = learn_bay(disk(), {}, "den", folder / "battery");
  ASSERT_FALSE(bay);
  EXPECT_TRUE(bay.error().text.ends_with("seen: 1 file and 1 of them named like a save"))
      << bay.error().text;
  EXPECT_NE(bay.error().hint.text().find("lie elsewhere"), std::string::npos);
}

TEST(LearnBay, RefusesEmptyMissingAndBadlyNamed) {
  const TempFolder folder;
  EXPECT_EQ(learn_bay(disk(), {}, "den", folder.path()).error().code, Code::no_match);
  EXPECT_EQ(learn_bay(disk(), {}, "den", folder / "nowhere").error().trouble, Trouble::input);
  EXPECT_EQ(learn_bay(disk(), {}, "a b", folder.path()).error().trouble, Trouble::usage);
}

}  // namespace
}  // namespace bayswap
