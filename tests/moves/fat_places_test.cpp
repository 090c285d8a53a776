// Places whose file system folds names, or is FAT.
#include <gmock/gmock.h>

#include "places/file_names.h"
#include "support/fat_storage.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::FatStorage;

class FatPlaces : public test::WorldTest {
 protected:
  Bay learned(Storage& storage, const std::string& name) {
    Session session = open(storage);
    const auto bay = learn_bay(storage, session.catalog, name, folder_ / name);
    EXPECT_TRUE(bay) << bay.error().text;
    EXPECT_TRUE(session.bays.put(storage, session.bays_file(), *bay));
    return *bay;
  }
  CarryReport carry_on(Storage& storage, CarryRequest request) {
    return carry_it(std::move(request), storage);
  }
};

TEST_F(FatPlaces, AreFoundOut) {
  FatStorage fat(true);
  FatStorage folding(false);
  EXPECT_EQ(names_kept_by(disk(), folder_ / "den"), FileNames::exact);
  EXPECT_EQ(names_kept_by(fat, folder_ / "den"), FileNames::fat);
  EXPECT_EQ(names_kept_by(folding, folder_ / "den"), FileNames::any_case);
  const auto before = test::snapshot(folder_ / "den");
  for (const Shelf& shelf : learned(fat, "den").shelves) EXPECT_EQ(shelf.names, FileNames::fat);
  EXPECT_EQ(test::snapshot(folder_ / "den"), before) << "finding out writes nothing";
  // The property stands in the file, and can be written by hand.
  Session session = open();
  EXPECT_EQ((*session.bays.find("den"))->shelves.front().names, FileNames::fat);
  const auto wrong = BayList::parse(
      "[bay.x]\nplace = \"/x\"\n[[bay.x.shelf]]\nsystem = \"snes\"\npattern = \"{stem}.srm\"\n"
      "layout = [\"snes-battery\"]\nnames = \"ntfs\"\n",
      "bays.toml");
  ASSERT_FALSE(wrong);
  EXPECT_THAT(wrong.error().text, testing::HasSubstr("line 7"));
}

TEST_F(FatPlaces, NamesThatCannotBeAreReplaced) {
  EXPECT_EQ(fat_path("saves/Tin: Orchard?.srm"), "saves/Tin_ Orchard_.srm");
  EXPECT_EQ(fat_path("a. /b..."), "a__/b___");
  EXPECT_EQ(fat_path("Kite Foundry (Europe).srm"), "Kite Foundry (Europe).srm");
}

TEST_F(FatPlaces, ASaveGoesThereAndBack) {
  FatStorage fat(true);
  learned(fat, "ferry");
  CarryRequest request;
  request.saves = {"den:Tin Orchard"};
  request.to = "ferry";
  request.accept = {Code::newer_there};
  const auto before = test::snapshot(folder_ / "ferry");
  EXPECT_EQ(stop_code(carry_on(fat, request)), "");
  EXPECT_NE(test::snapshot(folder_ / "ferry"), before);
  Session session = open(fat);
  EXPECT_TRUE(undo(session, "", {}));
  EXPECT_EQ(test::contents(folder_ / "ferry").size(), 2U);
}

// A save that is one second older by a clock of two seconds is not older.
TEST_F(FatPlaces, CoarseTimesAreNoReasonToStop) {
  FatStorage fat(true);
  learned(fat, "ferry");
  const Path there = folder_ / "ferry/gb/Tin Orchard (Europe).sav";
  const Path source = folder_ / "den/saves/Tin Orchard (Europe).srm";
  const std::int64_t time = 1'790'000'000'000'000'000;
  CarryRequest request;
  request.saves = {"den:Tin Orchard"};
  request.to = "ferry";
  request.plan = true;
  ASSERT_TRUE(disk().set_modified(source, time));
  ASSERT_TRUE(disk().set_modified(there, time + 1'500'000'000));
  EXPECT_EQ(stop_code(carry_on(fat, request)), "");
  ASSERT_TRUE(disk().set_modified(there, time + 3'000'000'000));
  EXPECT_EQ(stop_code(carry_on(fat, request)), "newer-there");
}

// Where names fold, two ROMs that differ in case have one save between them.
TEST_F(FatPlaces, TwoSavesCannotBecomeOne) {
  for (const char* name : {"Ember", "EMBER"}) {
    folder_.write(std::string("left/") + name + ".nes",
                  test::read(folder_ / "drawer/Ember Atlas.nes"));
    folder_.write(std::string("left/") + name + ".sav",
                  test::read(folder_ / "drawer/Ember Atlas.sav"));
  }
  folder_.write("right/Other.nes", test::read(folder_ / "drawer/Ember Atlas.nes"));
  folder_.write("right/Other.sav", test::random_bytes(8192, 4));
  learned(disk(), "left");
  Bay right = learned(disk(), "right");
  right.shelves.front().names = FileNames::any_case;
  right.shelves.front().roms.clear();
  Session session = open();
  ASSERT_TRUE(session.bays.put(disk(), session.bays_file(), right));
  std::filesystem::remove(folder_ / "right/Other.nes");
  CarryRequest request;
  request.from = "left";
  request.to = "right";
  request.all = true;
  request.plan = true;
  const CarryReport report = carry_it(request);
  EXPECT_EQ(stop_code(report), "name-taken");
}

}  // namespace
}  // namespace bayswap
