// What ROMs lend to the paths of saves beside their names: the folders they lie in, and the hashes
// of their content.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "bayswap/bay.h"
#include "bayswap/carry.h"
#include "bayswap/look.h"
#include "core/bytes/text.h"
#include "demo/makers.h"
#include "places/path_words.h"
#include "places/rom_folders.h"
#include "places/rom_hashes.h"
#include "places/rom_index.h"
#include "support/bytes.h"
#include "support/folder.h"
#include "support/program.h"

namespace bayswap {
namespace {

using test::TempFolder;

TEST(HasHashWord, IsAWholeWordOfHexDigitsInOneCase) {
  for (const char* path :
       {"1a2b3c4d", "saves/1A2B3C4D.sav", "Tin Orchard-0000000a.sav",
        "d41d8cd98f00b204e9800998ecf8427e/battery", "DA39A3EE5E6B4B0D3255BFEF95601890AFD80709"})
    EXPECT_TRUE(has_hash_word(path)) << path;
  for (const char* path : {"", "20260131", "1a2b3c4", "1a2b3c4d5", "1a2B3c4d", "x1a2b3c4d",
                           "1a2b3c4g", "facadeed", "1a2b 3c4d", "é1a2b3c4"})
    EXPECT_FALSE(has_hash_word(path)) << path;
}

// The known answers of the three algorithms for "123456789".
TEST(RomHashes, AreThoseOfTheStandards) {
  const TempFolder folder;
  folder.write("digits", std::string("123456789"));
  const RomHashes hashes = read_rom_hashes(disk(), folder / "digits");
  EXPECT_EQ(hashes.crc32, "cbf43926");
  EXPECT_EQ(hashes.md5, "25f9e794323b453885f5181f1b624d0b");
  EXPECT_EQ(hashes.sha1, "f7c3bc1d808e04732adf679965ccc34ca7ae3441");
  EXPECT_TRUE(read_rom_hashes(disk(), folder / "missing").crc32.empty());
}

TEST(RomHashes, OfAZipAreThoseOfTheRomInside) {
  const TempFolder folder;
  folder.write("a.gba", demo::gba_rom("TIN ORCHARD", "BTOP", "SRAM_V113"));
  const auto zipped =
      test::run_program({"bsdtar", "--format=zip", "-cf", "a.zip", "a.gba"}, folder.path(), {});
  if (zipped.status == 127) GTEST_SKIP() << "no bsdtar here";
  EXPECT_EQ(read_rom_hashes(disk(), folder / "a.zip").sha1,
            read_rom_hashes(disk(), folder / "a.gba").sha1);
}

TEST(RomIndex, FindsRomsByAnyHash) {
  const TempFolder folder;
  folder.write("one/a.gba", demo::gba_rom("TIN ORCHARD", "BTOP", "SRAM_V113"));
  folder.write("two/b.gba", demo::gba_rom("COPPER BELL", "BCBE", "SRAM_V113"));
  RomIndex all = RomIndex::scan(disk(), folder.path(), true, {});
  ASSERT_EQ(all.roms().size(), 2U);
  const RomFile& first = *all.roms().front();
  const RomHashes& hashes = all.hashes_of(disk(), first);
  for (const std::string& hash : {hashes.crc32, hashes.md5, hashes.sha1}) {
    EXPECT_THAT(all.hashed_as(disk(), hash), testing::ElementsAre(&first));
    EXPECT_EQ(all.in(folder / "one").hashed_as(disk(), hash).size(), 1U);
    EXPECT_TRUE(all.in(folder / "two").hashed_as(disk(), hash).empty());
  }
  EXPECT_TRUE(all.hashed_as(disk(), "00000000").empty());
  EXPECT_TRUE(RomIndex{}.hashed_as(disk(), hashes.crc32).empty());
  // One that is added later is found, too.
  folder.write("c.gba", demo::gba_rom("MOSS 3", "BM3J", "SRAM_V113"));
  all.add(*read_rom_file(disk(), folder / "c.gba", {}));
  EXPECT_EQ(all.hashed_as(disk(), read_rom_hashes(disk(), folder / "c.gba").md5).size(), 1U);
}

TEST(RomFolders, AreOpenedWhereSeveralPatternsDifferInNothingElse) {
  using Folders = std::set<SaveAndRomFolder>;
  const auto read = [](const std::vector<std::pair<std::string, Folders>>& patterns) {
    std::vector<PlacedPattern> placed;
    for (const auto& [pattern, folders] : patterns)
      placed.push_back({pattern, System::nes, folders});
    return with_rom_folders(placed);
  };
  using testing::ElementsAre;
  EXPECT_THAT(read({{"roms/A/{stem}.sav", {{"roms/A", "roms/A"}}},
                    {"roms/B/C/{stem}.sav", {{"roms/B/C", "roms/B/C"}}}}),
              ElementsAre("roms/{folder}/{stem}.sav", "roms/{folder}/{stem}.sav"));
  EXPECT_THAT(read({{"saves/A/{stem}.sav", {{"saves/A", "nes/A"}}},
                    {"saves/B/{title}.sav", {{"saves/B", "nes/B"}}}}),
              ElementsAre("saves/{folder}/{stem}.sav", "saves/{folder}/{title}.sav"));
  EXPECT_THAT(read({{"A/{stem}.sav", {{"A", "A"}}}, {"B/{stem}.sav", {{"B", "B"}}}}),
              ElementsAre("{folder}/{stem}.sav", "{folder}/{stem}.sav"));
  EXPECT_THAT(read({{"a{{1/{stem}", {{"a{1", "a{1"}}}, {"b/{stem}", {{"b", "b"}}}}),
              ElementsAre("{folder}/{stem}", "{folder}/{stem}"));
  // The games' names stand in the folders, too.
  EXPECT_THAT(read({{"{stem} (E)/{stem}.sav", {{"Dune (E)", "Dune (E)"}, {"Moss (E)", "Moss (E)"}}},
                    {"{stem} (J)/{stem}.sav", {{"Tin (J)", "Tin (J)"}}}}),
              ElementsAre("{folder}/{stem}.sav", "{folder}/{stem}.sav"));
  EXPECT_THAT(read({{"{stem}/{stem}.sav", {{"Dune", "Dune"}, {"Moss", "Moss"}}}}),
              ElementsAre("{stem}/{stem}.sav"));
  // One folder alone, folders of other names, ROMs of several folders, and ROMs that lie above.
  EXPECT_THAT(read({{"roms/A/{stem}.sav", {{"roms/A", "roms/A"}}},
                    {"roms/B/{stem}.srm", {{"roms/B", "roms/B"}}}}),
              ElementsAre("roms/A/{stem}.sav", "roms/B/{stem}.srm"));
  EXPECT_THAT(read({{"saves/x/{stem}.sav", {{"saves/x", "roms/A"}}},
                    {"saves/y/{stem}.sav", {{"saves/y", "roms/B"}}}}),
              ElementsAre("saves/x/{stem}.sav", "saves/y/{stem}.sav"));
  EXPECT_THAT(read({{"A/{stem}.sav", {{"A", "A"}, {"A", "B"}}}, {"B/{stem}.sav", {{"B", "B"}}}}),
              ElementsAre("A/{stem}.sav", "B/{stem}.sav"));
  EXPECT_THAT(read({{"roms/{stem}.sav", {{"roms", "roms"}}},
                    {"roms/A/{stem}.sav", {{"roms/A", "roms/A"}}}}),
              ElementsAre("roms/{stem}.sav", "roms/A/{stem}.sav"));
  EXPECT_THAT(read({{"{stem}.sav", {{"", "."}}}, {"A/{stem}.sav", {{"A", "A"}}}}),
              ElementsAre("{stem}.sav", "A/{stem}.sav"));
}

// Hashes that no ROM has are no names that the next game's save could have.
TEST(StrangeHashes, AreAskedAboutAndMakeNoShelf) {
  const TempFolder folder;
  for (const char* name : {"1a2b3c4d", "5e6f7081"})
    folder.write(std::string("keep/") + name + ".srm",
                 demo::n64_container(test::random_bytes(512, 1), {}, {}));
  folder.write("other/Copper Tide.srm", demo::n64_container(test::random_bytes(512, 2), {}, {}));
  const auto bay = learn_bay(disk(), {}, "den", folder.path());
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_EQ(bay->shelves.size(), 1U);
  EXPECT_EQ(bay->shelves[0].pattern, "other/{stem}.srm");
  ASSERT_EQ(bay->questions.size(), 1U);
  EXPECT_TRUE(bay->questions[0].starts_with("keep/….srm: 2 saves of n64")) << bay->questions[0];
}

// Games that came out for two systems, under one name, with saves that fit both.
class TwoSystems : public testing::Test {
 protected:
  void add(const std::string& stem, bool md, bool snes) {
    if (md)
      place_.write(md_roms_ + stem + ".md", demo::md_rom(upper_ascii(stem), "GM 00012345-00", 'E'));
    if (snes) place_.write(snes_roms_ + stem + ".sfc", demo::snes_rom(upper_ascii(stem), 2, 3));
    if (md)
      place_.write(md_saves_ + stem + ".sav", demo::progress(stem, 0x2000, 1, std::byte{0}), 5);
    if (snes)
      place_.write(snes_saves_ + stem + ".sav", demo::progress(stem, 0x2000, 2, std::byte{0}), 5);
  }
  std::map<std::string, System> learned() {
    add("Tin Orchard", true, true);
    add("Copper Bell", true, true);
    const auto bay = learn_bay(disk(), {}, "den", place_.path());
    std::map<std::string, System> shelves;
    if (!bay) questions_ = {bay.error().hint.text()};
    if (!bay) return shelves;
    questions_ = bay->questions;
    for (const Shelf& shelf : bay->shelves) {
      EXPECT_TRUE(shelves.emplace(shelf.pattern, shelf.system).second) << shelf.pattern;
      EXPECT_EQ(shelf.explains, shelf.of);
    }
    return shelves;
  }
  using Shelves = std::map<std::string, System>;
  TempFolder place_;
  std::string md_roms_ = "roms/one/";
  std::string snes_roms_ = "roms/two/";
  std::string md_saves_ = "saves/uno/";
  std::string snes_saves_ = "saves/due/";
  std::vector<std::string> questions_;
};

TEST_F(TwoSystems, AreToldByTheFoldersOfTheirRoms) {
  md_saves_ = "saves/one/";
  snes_saves_ = "saves/two/";
  EXPECT_EQ(learned(), (Shelves{{"saves/one/{stem}.sav", System::md},
                                {"saves/two/{stem}.sav", System::snes}}));
  EXPECT_TRUE(questions_.empty());
  // A look says the same without any bay.
  const TempFolder own;
  auto session = Session::open(disk(), {own / "config", own / "data"});
  ASSERT_TRUE(session);
  std::size_t saves = 0;
  const auto see = [&](const Item& item) {
    if (item.path.find("saves") == std::string::npos) return;
    ++saves;
    EXPECT_EQ(item.system, item.path.find("one") != std::string::npos ? System::md : System::snes)
        << item.path;
  };
  ASSERT_TRUE(look(*session, place_.path(), {}, see));
  EXPECT_EQ(saves, 4U);
}

TEST_F(TwoSystems, AreToldByTheNameOfTheSystem) {
  md_saves_ = "saves/MD/";
  snes_saves_ = "saves/snes/";
  EXPECT_EQ(learned(), (Shelves{{"saves/MD/{stem}.sav", System::md},
                                {"saves/snes/{stem}.sav", System::snes}}));
}

TEST_F(TwoSystems, AreToldByGamesThatOnlyOneOfThemHas) {
  add("Moss Third", true, false);
  add("Night Ferry", false, true);
  EXPECT_EQ(learned(), (Shelves{{"saves/uno/{stem}.sav", System::md},
                                {"saves/due/{stem}.sav", System::snes}}));
  EXPECT_TRUE(questions_.empty());
}

// The folders are called alike for both systems; another folder's game tells which habit it is.
TEST_F(TwoSystems, AreToldByOtherFoldersOfTheSameHabit) {
  for (const char* folder : {"tile", "quiet"}) {
    const bool both = std::string(folder) == "tile";
    const std::string inner = std::string(folder) + "/";
    std::tie(md_roms_, snes_roms_) = std::pair{"one/" + inner, "two/" + inner};
    std::tie(md_saves_, snes_saves_) = std::pair{"uno/" + inner, "due/" + inner};
    if (both)
      add("Tin Orchard", true, true);
    else
      add("Moss Third", true, false), add("Night Ferry", false, true);
  }
  const auto bay = learn_bay(disk(), {}, "den", place_.path());
  ASSERT_TRUE(bay) << bay.error().text;
  EXPECT_TRUE(bay->questions.empty());
  std::set<std::tuple<std::string, System, std::size_t>> shelves;
  for (const Shelf& shelf : bay->shelves)
    shelves.emplace(shelf.pattern, shelf.system, shelf.explains);
  EXPECT_THAT(shelves, testing::UnorderedElementsAre(
                           std::tuple("uno/{folder}/{stem}.sav", System::md, 2U),
                           std::tuple("due/{folder}/{stem}.sav", System::snes, 2U)));
}

TEST_F(TwoSystems, AreAskedAboutWhereNothingTells) {
  EXPECT_EQ(learned(), Shelves{});
  ASSERT_FALSE(questions_.empty());
  EXPECT_TRUE(questions_.front().starts_with("saves/due/{stem}.sav: 2 files could be of "))
      << questions_.front();
}

// A save goes beside its ROM, whichever folder that is, and the next one too.
class SavesBesideRoms : public testing::Test {
 protected:
  void add(const std::string& path, const std::string& title, bool save) {
    place_.write(path + ".gba", demo::gba_rom(title, "", "SRAM_V113"));
    if (save) place_.write(path + ".sav", demo::progress(title, 0x8000, 7, std::byte{0xFF}), 5);
  }
  std::string carried_to(const std::string& stem) {
    drawer_.write(stem + ".sav", demo::progress(stem, 0x8000, ++seed_, std::byte{0xFF}));
    auto session = Session::open(disk(), {own_ / "config", own_ / "data"});
    EXPECT_TRUE(session);
    const auto bay = learn_bay(disk(), {}, "den", place_.path());
    EXPECT_TRUE(bay);
    EXPECT_TRUE(session->bays.put(disk(), session->bays_file(), *bay));
    CarryRequest request;
    request.saves = {(drawer_ / (stem + ".sav")).string()};
    request.to = "den";
    const auto report = carry(*session, request);
    if (!report || report->moves.size() != 1 || report->moves.front().status != MoveStatus::done)
      return {};
    const Path to = report->moves.front().to;
    EXPECT_EQ(test::read(to), test::read(drawer_ / (stem + ".sav")));
    return to.lexically_relative(std::filesystem::canonical(place_.path())).generic_string();
  }
  TempFolder place_;
  TempFolder drawer_;
  TempFolder own_;
  std::uint32_t seed_ = 20;
};

TEST_F(SavesBesideRoms, InFoldersThatHaveNoSaveYet) {
  add("roms/tile/Tin Orchard", "TIN ORCHARD", true);
  add("roms/quiet/Copper Bell", "COPPER BELL", true);
  add("roms/new/deep/Moss Third", "MOSS 3", false);
  EXPECT_EQ(carried_to("Moss Third"), "roms/new/deep/Moss Third.sav");
}

TEST_F(SavesBesideRoms, WhereShelvesHaveFoldersOfTheirOwn) {
  add("b/roms/Tin Orchard", "TIN ORCHARD", true);
  place_.write("a/roms/Copper Bell.gba", demo::gba_rom("COPPER BELL", "", "SRAM_V113"));
  place_.write("a/keep/Copper Bell.bin", demo::progress("c", 0x8000, 9, std::byte{0xFF}), 5);
  add("b/roms/Moss Third", "MOSS 3", false);
  place_.write("a/roms/Night Ferry.gba", demo::gba_rom("NIGHT FERRY", "", "SRAM_V113"));
  EXPECT_EQ(carried_to("Moss Third"), "b/roms/Moss Third.sav");
  EXPECT_EQ(carried_to("Night Ferry"), "a/keep/Night Ferry.bin");
}

// Headers of some systems say nothing about the game: then it goes by names, and never to another
// game's ROM because that one's header is as silent.
class SilentHeaders : public testing::Test {
 protected:
  SilentHeaders() {
    add(here_, "Tin Orchard", true);
    add(there_, "Copper Bell (Europe)", true);
  }
  static void add(const TempFolder& folder, const std::string& stem, bool save) {
    Bytes rom = test::random_bytes(24592, static_cast<std::uint32_t>(stem.size()));
    test::put(rom, 0, "NES");
    test::put(rom, 3,
              Bytes{std::byte{0x1A}, std::byte{1}, std::byte{1}, std::byte{2}, std::byte{0}});
    folder.write(stem + ".nes", rom);
    if (save) folder.write(stem + ".sav", demo::progress(stem, 0x2000, 7, std::byte{0}), 5);
  }
  MoveReport carried(const std::string& game = "") {
    auto session = Session::open(disk(), {own_ / "config", own_ / "data"});
    EXPECT_TRUE(session);
    for (const auto& [name, folder] : {std::pair{"here", &here_}, std::pair{"there", &there_}}) {
      const auto bay = learn_bay(disk(), {}, name, folder->path());
      EXPECT_TRUE(bay);
      EXPECT_TRUE(session->bays.put(disk(), session->bays_file(), *bay));
    }
    CarryRequest request;
    request.all = game.empty();
    request.game = game;
    request.from = "here";
    request.to = "there";
    auto report = carry(*session, request);
    EXPECT_TRUE(report);
    EXPECT_EQ(report->moves.size(), 1U);
    return report->moves.front();
  }
  TempFolder here_;
  TempFolder there_;
  TempFolder own_;
};

TEST_F(SilentHeaders, AreNoProofOfTheSameGame) {
  const auto before = test::contents(there_.path());
  const MoveReport move = carried();
  EXPECT_EQ(move.status, MoveStatus::stopped);
  ASSERT_FALSE(move.checks.empty());
  EXPECT_EQ(move.checks.front().code, Code::no_match);
  EXPECT_EQ(test::contents(there_.path()), before);
}

TEST_F(SilentHeaders, LeaveTheWordToNames) {
  add(there_, "Tin Orchard (Europe)", false);
  const MoveReport move = carried();
  EXPECT_EQ(move.status, MoveStatus::done);
  ASSERT_FALSE(move.checks.empty());
  EXPECT_EQ(move.checks.front().code, Code::rom_match);
  EXPECT_EQ(test::read(there_ / "Tin Orchard (Europe).sav"), test::read(here_ / "Tin Orchard.sav"));
}

// Several ROMs bear the title; the tags of another set say which of them it is.
TEST_F(SilentHeaders, LeaveTheWordToTags) {
  for (const char* tags : {"(Japan) (Rev 1)", "(Europe)", "(Europe) (Rev 1)", "(Europe) (Disc 2)"})
    add(there_, std::string("Copper Bell ") + tags, false);
  add(here_, "Copper Bell (E) (V1.1) [!]", true);
  std::filesystem::remove(here_ / "Tin Orchard.nes");
  std::filesystem::remove(here_ / "Tin Orchard.sav");
  // A text names the save in its own bay.
  const MoveReport move = carried("copper bell");
  EXPECT_EQ(move.status, MoveStatus::done);
  EXPECT_EQ(test::read(there_ / "Copper Bell (Europe) (Rev 1).sav"),
            test::read(here_ / "Copper Bell (E) (V1.1) [!].sav"));
}

}  // namespace
}  // namespace bayswap
