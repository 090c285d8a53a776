#include "bayswap/look.h"

#include <map>
#include <mutex>

#include "core/naming/tags.h"
#include "demo/makers.h"
#include "places/inspect.h"
#include "places/rom_index.h"
#include "support/failing_storage.h"
#include "support/look_items.h"

namespace bayswap {
namespace {

class Look : public test::LookTest {};

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
  options.is.reset();
  options.rom = folder_ / "drawer/Ember Atlas.nes";
  EXPECT_EQ(item("reader/LANTERN DRIFT.srm", options).layout, "nes-battery");
  options.rom = folder_ / "den/notes.txt";
  Session session = open();
  EXPECT_EQ(
      look(session, folder_ / "reader/LANTERN DRIFT.srm", options, [](const Item&) {}).error().code,
      Code::no_match);
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
  EXPECT_EQ(code("x/empty.sav"), Code::empty_file);
  EXPECT_EQ(item("x/empty.sav").findings.at(0).level, Level::error);
  EXPECT_EQ(items("x").at(0).findings.at(0).level, Level::warn) << "in a folder it is a marker";
  EXPECT_EQ(code("x/text.txt"), Code::unknown);
  EXPECT_EQ(code("x/short.srm"), Code::wrong_size);
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
  EXPECT_TRUE(has_code(found.at(1).findings, Code::many_match));
  EXPECT_EQ(found.at(1).confidence, Confidence::possible);
  folder_.write("y/Twin.srm", test::random_bytes(0x8000, 2));
  EXPECT_EQ(items("y").at(3).system, System::snes);
  EXPECT_TRUE(has_code(items("y").at(3).findings, Code::many_match));
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

// The disk, with how often each file was opened.
class CountingStorage : public test::FailingStorage {
 public:
  CountingStorage() : FailingStorage(0, Fault::error) {}
  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    {
      const std::scoped_lock lock(counting_);
      ++opened[path.filename().string()];
    }
    return FailingStorage::view(path, limit);
  }
  std::map<std::string, int> opened;

 private:
  std::mutex counting_;
};

// Places without bays, looked through by random trees of saves, states, ROMs and other files.
class LookThrough : public testing::Test {
 protected:
  void fill(std::uint32_t seed) {
    std::mt19937 numbers(seed);
    const auto pick = [&](std::size_t below) { return numbers() % below; };
    const std::vector<std::string> names{"Lantern Drift", "Ember Atlas (Europe)", "Cinder Freight",
                                         "LANTERN DRIFT II", "Dune Semaphore [b1]"};
    const std::vector<std::string> endings{".sav", ".srm", ".state3", ".txt", ".dat", ""};
    const std::vector<std::size_t> sizes{0, 3, 512, 2048, 8192, 8192, 8193, 16384, 32768, 40000};
    for (std::size_t i = 0; i < 24; ++i) {
      const std::string folder = "place/" + std::string(1, static_cast<char>('a' + pick(3)));
      const std::string name = names[pick(names.size())];
      if (pick(8) == 0) {
        const std::string title = names[pick(names.size())].substr(0, 15);
        folder_.write(folder + "/" + name + " " + std::to_string(i) + ".gb",
                      demo::gb_rom(title, 0x03, 2));
      } else {
        const std::size_t size = sizes[pick(sizes.size())];
        folder_.write(folder + "/" + name + endings[pick(endings.size())],
                      pick(4) == 0
                          ? test::filled(size, 0xFF)
                          : test::random_bytes(size, seed + static_cast<std::uint32_t>(i)));
      }
    }
  }

  std::vector<Item> items(Storage& storage, bool brief) {
    auto session = Session::open(storage, demo::places(folder_.path()));
    EXPECT_TRUE(session);
    std::vector<Item> found;
    LookOptions options;
    options.brief = brief;
    EXPECT_TRUE(look(*session, folder_ / "place", options,
                     [&](const Item& item) { found.push_back(item); }));
    return found;
  }

  test::TempFolder folder_;
};

// A table looks at files while ROMs are still sought; a look at each in turn knows all ROMs.
TEST_F(LookThrough, ATableSaysTheSameAsALookAtEach) {
  std::size_t with_rom = 0;
  std::size_t without = 0;
  for (std::uint32_t seed = 0; seed < 120; ++seed) {
    std::filesystem::remove_all(folder_ / "place");
    fill(seed);
    const std::vector<Item> table = items(disk(), true);
    const std::vector<Item> each = items(disk(), false);
    ASSERT_EQ(table.size(), each.size()) << "seed " << seed;
    for (std::size_t i = 0; i < each.size(); ++i) {
      SCOPED_TRACE("seed " + std::to_string(seed) + " " + each[i].path);
      EXPECT_EQ(table[i].path, each[i].path);
      EXPECT_EQ(table[i].size, each[i].size);
      EXPECT_EQ(table[i].system, each[i].system);
      EXPECT_EQ(table[i].kind, each[i].kind);
      EXPECT_EQ(table[i].layout, each[i].layout);
      EXPECT_EQ(table[i].confidence, each[i].confidence);
      EXPECT_EQ(table[i].reason, each[i].reason);
      EXPECT_EQ(table[i].candidates, each[i].candidates);
      EXPECT_EQ(table[i].game, each[i].game);
      EXPECT_EQ(table[i].rom, each[i].rom);
      EXPECT_EQ(table[i].blank, each[i].blank);
      // A table does not look into states.
      if (each[i].kind != Kind::state) {
        EXPECT_EQ(table[i].findings, each[i].findings);
      }
      if (each[i].kind != Kind::rom) ++(each[i].rom.empty() ? without : with_rom);
    }
  }
  EXPECT_GT(with_rom, 100U);
  EXPECT_GT(without, 100U);
}

TEST_F(LookThrough, OpensSmallFilesOnceWhereThereAreNoRoms) {
  for (int i = 0; i < 40; ++i)
    folder_.write("place/" + std::to_string(i) + ".sav", test::random_bytes(8192, 7));
  CountingStorage storage;
  EXPECT_EQ(items(storage, true).size(), 40U);
  EXPECT_EQ(storage.opened.size(), 40U);
  for (const auto& [name, times] : storage.opened) EXPECT_EQ(times, 1) << name;
}

TEST_F(LookThrough, OpensRomsOnceAndWhatTheyClaimAgain) {
  folder_.write("place/a.sav", test::random_bytes(8192, 1));
  folder_.write("place/z/a.nes", demo::nes_rom());
  for (const bool brief : {false, true}) {
    CountingStorage storage;
    const auto found = items(storage, brief);
    ASSERT_EQ(found.size(), 2U);
    EXPECT_EQ(found[0].layout, "nes-battery");
    EXPECT_FALSE(found[0].rom.empty());
    EXPECT_EQ(storage.opened["a.nes"], 1);
  }
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
  EXPECT_TRUE(tags_agree("A (U)", "A"));
  EXPECT_TRUE(tags_agree("A (U)", "A (World)"));
  EXPECT_FALSE(tags_agree("A (U)", "A (Europe)"));
}

TEST(Tags, TellDiscsRevisionsAndLanguages) {
  using Known = std::pair<std::string, NameTags>;
  for (const auto& [name, tags] :
       {Known{"A (Europe) (Disc 2) (Rev 1)", {Region::europe, "2", 1, 0}},
        Known{"A (E) (V1.3) [!]", {Region::europe, "", 3, 0}},
        Known{"A (Japan) (Disk 10 of 12) (Rev B)", {Region::japan, "10", 2, 0}},
        Known{"A (En,Fr, De) (REV02)", {Region::unknown, "", 2, 3}},
        Known{"A (M5) (Side B)", {Region::unknown, "b", 0, 5}},
        Known{"A (v1) (version 2.4) (Fr)", {Region::unknown, "", 4, 1}},
        // These say nothing.
        Known{"A (Rev) (Disc ) (Disc one) (v1.x) (Reverb) (Vision) (m) (Europe", {}},
        Known{"A (Rev 99999999999999999999) (Disc 123)", {}}, Known{"Disc 1 Rev 2", {}}})
    EXPECT_EQ(tags_of_name(name), tags) << name;
  EXPECT_TRUE(tags_agree("A (Disc 1)", "A (CD 1) (U)"));
  EXPECT_TRUE(tags_agree("A (Disc 1)", "A"));
  EXPECT_FALSE(tags_agree("A (Disc 1)", "A (Disc 2)"));
}

// Each pair: the first is closer to the name.
TEST(Tags, MakeNamesMoreOrLessClose) {
  const std::string name = "Moss & Motor (Europe) (Disc 1) (Rev 1) (En,Fr)";
  for (const auto& [closer, farther] : std::vector<std::pair<std::string, std::string>>{
           {"moss & motor (J)", "Moss Motor (E) (Disc 1) (V1.1) (M2)"},
           {"Moss & Motor (E)", "Moss & Motor (Disc 1) (Rev 1)"},
           {"Moss & Motor", "Moss & Motor (U) (Disc 1)"},
           {"Moss & Motor (E) (Disc 1)", "Moss & Motor (E) (Rev 1) (M2)"},
           {"Moss & Motor (E) (Rev A)", "Moss & Motor (E) (M2)"},
           {"Moss & Motor (E) (M2)", "Moss & Motor (E) (M3)"}})
    EXPECT_GT(name_closeness(name, closer), name_closeness(name, farther)) << closer;
}

TEST(Titles, AgreeWhenTheHeaderCutThem) {
  EXPECT_TRUE(titles_agree("Paper Observatory", "PAPER OBSERV"));
  EXPECT_TRUE(titles_agree("Tin Orchard", "TIN ORCHARD"));
  EXPECT_FALSE(titles_agree("Tin Orchard", "TIN"));
  EXPECT_FALSE(titles_agree("Tin Orchard", ""));
}

}  // namespace
}  // namespace bayswap
