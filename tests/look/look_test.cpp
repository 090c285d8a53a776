#include "bayswap/look.h"

#include "bays/rom_index.h"
#include "demo/makers.h"
#include "look/inspect.h"
#include "naming/tags.h"
#include "support/world.h"

namespace bayswap {
namespace {

class Look : public test::WorldTest {
 protected:
  std::vector<Item> items(const std::string& name, const LookOptions& options = {}) {
    Session session = open();
    std::vector<Item> found;
    const auto looked =
        look(session, folder_ / name, options, [&](const Item& item) { found.push_back(item); });
    EXPECT_TRUE(looked) << looked.error().text;
    return found;
  }
  Item item(const std::string& name, const LookOptions& options = {}) {
    return items(name, options).at(0);
  }
};

TEST_F(Look, GoesThroughAFolderInOrder) {
  const auto found = items("den");
  EXPECT_EQ(found.size(), 12U);
  EXPECT_TRUE(std::is_sorted(found.begin(), found.end(),
                             [](const Item& a, const Item& b) { return a.path < b.path; }));
}

TEST_F(Look, DoesNotFollowLinksInFolders) {
  std::filesystem::create_directory_symlink(folder_ / "den", folder_ / "ferry/loop");
  std::filesystem::create_symlink(folder_ / "den/notes.txt", folder_ / "ferry/notes");
  EXPECT_EQ(items("ferry").size(), 2U);
}

TEST_F(Look, TheUsersWordOutranksNames) {
  LookOptions options;
  options.is = "nes-battery";
  const Item found = item("reader/LANTERN DRIFT.srm", options);
  EXPECT_EQ(found.system, System::nes);
  EXPECT_EQ(found.confidence, Confidence::certain);
  EXPECT_TRUE(found.rom.empty());
  options.is.clear();
  options.rom = folder_ / "drawer/Ember Atlas.nes";
  EXPECT_EQ(item("reader/LANTERN DRIFT.srm", options).layout, "nes-battery");
  options.rom = folder_ / "den/notes.txt";
  Session session = open();
  EXPECT_EQ(
      look(session, folder_ / "reader/LANTERN DRIFT.srm", options, [](const Item&) {}).error().code,
      "no-match");
}

TEST_F(Look, HashesOnlyWhenAsked) {
  LookOptions options;
  EXPECT_TRUE(item("drawer/Ember Atlas.sav", options).parts.at(0).sha256.empty());
  options.hashes = true;
  EXPECT_EQ(item("drawer/Ember Atlas.sav", options).parts.at(0).sha256.size(), 64U);
}

TEST_F(Look, JudgesFilesThatFitNothing) {
  folder_.write("x/empty.sav", Bytes{});
  folder_.write("x/text.txt", std::string("only words"));
  folder_.write("x/short.srm", test::random_bytes(0x48800 - 3, 1));
  const auto code = [&](const std::string& name) { return item(name).findings.at(0).code; };
  EXPECT_EQ(code("x/empty.sav"), "empty-file");
  EXPECT_EQ(item("x/empty.sav").findings.at(0).level, Level::error);
  EXPECT_EQ(items("x").at(0).findings.at(0).level, Level::warn) << "in a folder it is a marker";
  EXPECT_EQ(code("x/text.txt"), "unknown");
  EXPECT_EQ(code("x/short.srm"), "wrong-size");
}

TEST_F(Look, TellsStatesByNameAndForm) {
  for (const std::string name : {"a.state", "a.state7", "a.st0", "a.ST9"})
    EXPECT_TRUE(has_state_name(name)) << name;
  for (const std::string name : {"a.srm", "a.statement", "a.st", "state", "a.stop", ".sav"})
    EXPECT_FALSE(has_state_name(name)) << name;
  EXPECT_TRUE(has_state_bytes(test::bytes({0x1F, 0x8B, 0x08, 0})));
  EXPECT_TRUE(has_state_bytes(test::bytes({0x28, 0xB5, 0x2F, 0xFD})));
  EXPECT_FALSE(has_state_bytes(test::bytes({0x1F})));
  EXPECT_EQ(item("downloads/Lantern Drift (Europe).srm").kind, Kind::state);
}

TEST_F(Look, SeveralGamesOfOneNameAreNamedNotGuessed) {
  folder_.write("y/Twin.sfc", demo::snes_rom("TWIN ONE", 2, 3));
  folder_.write("y/Twin.gb", demo::gb_rom("TWIN TWO", 0x03, 2));
  folder_.write("y/Twin.sav", test::random_bytes(0x2000, 2));
  const auto found = items("y");
  EXPECT_TRUE(has_code(found.at(1).findings, "many-match"));
  EXPECT_EQ(found.at(1).confidence, Confidence::possible);
  folder_.write("y/Twin.srm", test::random_bytes(0x8000, 2));
  EXPECT_TRUE(has_code(items("y").at(3).findings, "many-match") ||
              items("y").at(3).system.has_value());
}

TEST_F(Look, ComparesChipsAndNotContainers) {
  folder_.write("z/a.sra", test::random_bytes(0x8000, 3));
  Bytes other = test::random_bytes(0x8000, 3);
  other[0x123] ^= std::byte{1};
  folder_.write("z/b.sra", other);
  Session session = open();
  LookOptions options;
  options.is = "n64-sram-swap32";
  const auto differences = compare(session, folder_ / "z/a.sra", folder_ / "z/b.sra", options);
  ASSERT_TRUE(differences);
  EXPECT_EQ(differences->at(0).differing, 1U);
  EXPECT_EQ(differences->at(0).ranges.at(0).first, 0x120U)
      << "0x123 of the file is 0x120 of the chip";
  const auto sizes = compare(session, folder_ / "z/a.sra", folder_ / "den/notes.txt", {});
  ASSERT_TRUE(sizes);
  EXPECT_EQ(sizes->at(0).part, "file");
}

TEST(RomIndexTest, MatchesNamesAndTitlesButNotOtherRegions) {
  RomIndex index;
  RomFile rom{"/r/Lantern Drift (Europe).sfc", "Lantern Drift (Europe)", {}};
  rom.info.system = System::snes;
  rom.info.game.title = "LANTERN DRIFT II";
  index.add(rom);
  EXPECT_EQ(index.matching("Lantern Drift (Europe)", std::nullopt).size(), 1U);
  EXPECT_EQ(index.matching("lantern drift", System::snes).size(), 1U);
  EXPECT_EQ(index.matching("Lantern Drift II", std::nullopt).size(), 1U);
  EXPECT_TRUE(index.matching("Lantern Drift (Japan)", std::nullopt).empty());
  EXPECT_TRUE(index.matching("Lantern Drift (Europe)", System::gb).empty());
  EXPECT_TRUE(index.has_path("/r/Lantern Drift (Europe).sfc"));
  EXPECT_FALSE(index.has_path("/q/Lantern Drift (Europe).sfc"));
}

TEST(RomIndexTest, OfAFolderSharesItsRoms) {
  RomIndex index;
  for (const char* path : {"/r/a/Lantern Drift.gb", "/r/a/b/Lantern Drift.gb",
                           "/r/c/Lantern Drift.gb", "/r/ab/Dune Semaphore (Europe).gb"}) {
    RomFile rom{path, stem_of(path), {}};
    rom.info.system = System::gb;
    index.add(rom);
  }
  const RomIndex inside = index.in("/r/a");
  ASSERT_EQ(inside.roms().size(), 2U);
  EXPECT_EQ(inside.roms()[0], index.roms()[0]);
  EXPECT_EQ(inside.roms()[1], index.roms()[1]);
  EXPECT_EQ(inside.matching("Lantern Drift", System::gb), inside.roms());
  EXPECT_EQ(inside.matching("lantern drift", System::gb), inside.roms());
  EXPECT_TRUE(inside.has_path("/r/a/b/Lantern Drift.gb"));
  EXPECT_FALSE(inside.has_path("/r/c/Lantern Drift.gb"));
  EXPECT_FALSE(inside.has_stem("Dune Semaphore (Europe)"));
  EXPECT_TRUE(inside.matching("Dune Semaphore", System::gb).empty());
  // A folder above or inside of the one that counts, and one beside it.
  EXPECT_EQ(inside.in("/r").roms(), inside.roms());
  EXPECT_EQ(inside.in("/r/a/b").roms(), std::vector<const RomFile*>{index.roms()[1]});
  EXPECT_TRUE(inside.in("/r/c").roms().empty());
  EXPECT_TRUE(index.in("/q").roms().empty());
  EXPECT_TRUE(index.in("/q").matching("Lantern Drift", System::gb).empty());

  // One that is added later is not the others'.
  RomIndex copy = inside;
  copy.add({"/q/Cinder Freight.gb", "Cinder Freight", {}});
  EXPECT_TRUE(copy.has_path("/q/Cinder Freight.gb"));
  EXPECT_TRUE(copy.has_path("/r/a/Lantern Drift.gb"));
  EXPECT_FALSE(copy.has_path("/r/c/Lantern Drift.gb"));
  EXPECT_FALSE(index.has_stem("Cinder Freight"));
  EXPECT_EQ(inside.roms().size(), 2U);
}

TEST(Tags, NameRegions) {
  const std::vector<std::pair<std::string, Region>> known{
      {"A (Europe)", Region::europe}, {"A (U) [b1]", Region::america},
      {"A [J]", Region::japan},       {"A (Rev 1) (Korea)", Region::korea},
      {"A (World)", Region::any},     {"A (America, Europe)", Region::any},
      {"Europe", Region::unknown},    {"A (Proto", Region::unknown}};
  for (const auto& [name, region] : known) EXPECT_EQ(region_of_name(name), region) << name;
  EXPECT_TRUE(regions_agree("A (U)", "A"));
  EXPECT_TRUE(regions_agree("A (U)", "A (World)"));
  EXPECT_FALSE(regions_agree("A (U)", "A (Europe)"));
}

TEST(Titles, AgreeWhenTheHeaderCutThem) {
  EXPECT_TRUE(titles_agree("Paper Observatory", "PAPER OBSERV"));
  EXPECT_TRUE(titles_agree("Tin Orchard", "TIN ORCHARD"));
  EXPECT_FALSE(titles_agree("Tin Orchard", "TIN"));
  EXPECT_FALSE(titles_agree("Tin Orchard", ""));
}

}  // namespace
}  // namespace bayswap
