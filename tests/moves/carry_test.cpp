#include <thread>

#include "support/failing_storage.h"
#include "support/world.h"

#include "core/bytes/order.h"
#include "demo/makers.h"

namespace bayswap {
namespace {

using test::put;
using test::read;
using test::snapshot;

class Carry : public test::WorldTest {};

TEST_F(Carry, BringsChipsIntoTheContainerAndKeepsTheRest) {
  const Bytes before = read(folder_ / "den/saves/Glacier Post (America).srm");
  const CarryReport report = carry_one("reader:Glacier Post", "den");
  ASSERT_EQ(report.moves.size(), 1U);
  EXPECT_EQ(report.moves[0].status, MoveStatus::done);
  EXPECT_EQ(report.moves[0].parts, (std::vector<std::string>{"eeprom", "pak1"}));
  Bytes expected = before;
  put(expected, 0, read(folder_ / "reader/Glacier Post (America).eep"));
  put(expected, 0x800, read(folder_ / "reader/Glacier Post (America).mpk"));
  EXPECT_EQ(read(folder_ / "den/saves/Glacier Post (America).srm"), expected);
}

TEST_F(Carry, SwapsWordsForTheContainer) {
  (void)carry_one(at("reader/Copper Tide (America).sra"), "den");
  Bytes swapped = read(folder_ / "reader/Copper Tide (America).sra");
  reverse_units(swapped, 4);
  const Bytes container = read(folder_ / "den/saves/Copper Tide (America).srm");
  EXPECT_TRUE(std::equal(swapped.begin(), swapped.end(), container.begin() + 0x20800));
}

TEST_F(Carry, ThenUndoLeavesEverythingAsItWas) {
  const auto before = snapshot(folder_ / "den");
  for (const std::string save :
       {"reader:Copper Tide", "reader:Glacier Post", "reader:LANTERN DRIFT", "ferry:Tin Orchard"}) {
    ASSERT_EQ(stop_code(carry_one(save, "den")), "") << save;
    EXPECT_NE(snapshot(folder_ / "den"), before);
    Session session = open();
    const auto back = undo(session, "", {});
    ASSERT_TRUE(back) << back.error().text;
    EXPECT_EQ(snapshot(folder_ / "den"), before) << save;
  }
}

TEST_F(Carry, UndoTakesBackAWholeCommandAndNamedMoves) {
  const auto before = snapshot(folder_ / "den");
  CarryRequest all;
  all.all = true;
  all.from = "reader";
  all.to = "den";
  const CarryReport report = carry_it(all);
  EXPECT_EQ(report.moves.size(), 3U);
  Session session = open();
  ASSERT_TRUE(undo(session, "", {}));
  EXPECT_EQ(snapshot(folder_ / "den"), before);
  EXPECT_EQ(undo(session, "", {}).error().code, Code::no_match);
  EXPECT_EQ(undo(session, "m1", {}).error().code, Code::no_match);
  EXPECT_EQ(undo(session, "first", {}).error().trouble, Trouble::usage);
  ASSERT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "");
  ASSERT_EQ(stop_code(carry_one("reader:Glacier Post", "den")), "");
  ASSERT_TRUE(undo(session, "m8", {}));
  ASSERT_TRUE(undo(session, "m7", {}));
  EXPECT_EQ(snapshot(folder_ / "den"), before);
}

TEST_F(Carry, UndoStopsWhereThePlaceChanged) {
  const Bytes original = read(folder_ / "den/saves/Copper Tide (America).srm");
  (void)carry_one("reader:Copper Tide", "den");
  folder_.write("den/saves/Copper Tide (America).srm", test::filled(0x48800, 0x11));
  Session session = open();
  auto back = undo(session, "", {});
  ASSERT_TRUE(back);
  EXPECT_EQ(stop_code(*back), "newer-there");
  EXPECT_EQ(read(folder_ / "den/saves/Copper Tide (America).srm"), test::filled(0x48800, 0x11));
  back = undo(session, "", {Code::newer_there});
  ASSERT_TRUE(back);
  EXPECT_EQ(read(folder_ / "den/saves/Copper Tide (America).srm"), original);
}

TEST_F(Carry, PlanWritesNothing) {
  const auto before = snapshot(folder_.path());
  for (const bool all : {true, false}) {
    CarryRequest request;
    request.to = "den";
    request.plan = true;
    request.all = all;
    if (all)
      request.from = "reader";
    else
      request.saves = {"reader:Copper Tide"};
    for (const MoveReport& move : carry_it(request).moves)
      EXPECT_EQ(move.status, MoveStatus::planned);
  }
  EXPECT_EQ(snapshot(folder_.path()), before);
}

// Two people's folders in one place, each a shelf: a game's save goes where it lies already.
TEST_F(Carry, OfShelvesThatFitEquallyTakesTheOneThatHoldsTheSave) {
  const std::string name = "LANTERN DRIFT";
  folder_.write("bunk/roms/" + name + ".sfc", read(folder_ / ("reader/" + name + ".sfc")));
  folder_.write("bunk/roms/Reed Almanac.sfc", demo::snes_rom("REED ALMANAC", 2, 3));
  const Bytes save = read(folder_ / ("reader/" + name + ".srm"));
  folder_.write("bunk/user-1/Reed Almanac.srm", test::random_bytes(save.size(), 3), 30);
  folder_.write("bunk/user-2/" + name + ".srm", test::random_bytes(save.size(), 4), 30);
  learn("bunk");
  ASSERT_EQ((*open().bays.find("bunk"))->shelves.size(), 2U);
  EXPECT_EQ(stop_code(carry_one("reader:" + name, "bunk", {Code::newer_there})), "");
  EXPECT_EQ(read(folder_ / ("bunk/user-2/" + name + ".srm")), save);
  EXPECT_FALSE(std::filesystem::exists(folder_ / ("bunk/user-1/" + name + ".srm")));
}

// Where none holds it: the folder of the game's region; and where nothing tells, the plan says so.
TEST_F(Carry, OfShelvesThatFitEquallyTakesTheOneOfTheRegion) {
  for (const auto& [one, other, wanted, unsure] :
       {std::tuple{"EUR", "USA", "EUR", false}, std::tuple{"usa", "eur", "eur", false},
        std::tuple{"user-1", "user-2", "user-1", true}}) {
    const Path place = folder_ / (std::string("bunk-") + one);
    const std::string bunk = place.filename().string();
    folder_.write(bunk + "/roms/Lantern Drift (Europe).sfc",
                  read(folder_ / "den/roms/snes/Lantern Drift (Europe).sfc"));
    for (const std::string there : {one, other}) {
      folder_.write(bunk + "/roms/" + there + " Almanac.sfc", demo::snes_rom("ALMANAC", 2, 3));
      folder_.write(bunk + "/" + there + "/" + there + " Almanac.srm",
                    test::random_bytes(0x2000, 3), 30);
    }
    learn(bunk);
    ASSERT_EQ((*open().bays.find(bunk))->shelves.size(), 2U);
    folder_.write("loose/Lantern Drift (Europe).srm", test::random_bytes(0x2000, 5), 2);
    const CarryReport report = carry_one(at("loose/Lantern Drift (Europe).srm"), bunk);
    EXPECT_EQ(stop_code(report), "");
    EXPECT_TRUE(std::filesystem::exists(place / wanted / "Lantern Drift (Europe).srm")) << one;
    EXPECT_EQ(has_code(report.moves.at(0).checks, Code::shelf_unsure), unsure) << one;
  }
}

TEST_F(Carry, DoesNothingWhenItIsThereAlready) {
  (void)carry_one("reader:Copper Tide", "den");
  const auto before = snapshot(folder_ / "den");
  const CarryReport again = carry_one("reader:Copper Tide", "den");
  EXPECT_EQ(again.moves.at(0).status, MoveStatus::done);
  EXPECT_TRUE(has_code(again.moves[0].checks, Code::already_there));
  EXPECT_TRUE(again.moves[0].move.empty());
  EXPECT_EQ(snapshot(folder_ / "den"), before);
}

TEST_F(Carry, StopsAtNewerProgressAndLetsItBeReplaced) {
  (void)carry_one("reader:Copper Tide", "den");
  ASSERT_TRUE(demo::play_evening(folder_ / "den/saves/Copper Tide (America).srm"));
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "newer-there");
  EXPECT_EQ(stop_code(carry_one("den:Copper Tide", "reader")), "");
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "");
  const Bytes played = read(folder_ / "reader/Copper Tide (America).sra");
  EXPECT_EQ(played, demo::progress("COPPER TIDE", 0x8000, 77, std::byte{0xFF}));
}

TEST_F(Carry, HistoryKnowsAnOlderVersion) {
  const Bytes old = read(folder_ / "reader/Copper Tide (America).sra");
  (void)carry_one("reader:Copper Tide", "den");
  folder_.write("reader/Copper Tide (America).sra",
                demo::progress("COPPER TIDE", 0x8000, 50, std::byte{0xFF}));
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "");
  folder_.write("reader/Copper Tide (America).sra", old);
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "newer-there");
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den", {Code::newer_there})), "");
}

TEST_F(Carry, ClockGoesFrom44To48) {
  (void)carry_one("ferry:Tin Orchard", "den");
  const Bytes from = read(folder_ / "ferry/gb/Tin Orchard (Europe).sav");
  Bytes expected = from;
  expected.resize(0x2000 + 48);
  EXPECT_EQ(read(folder_ / "den/saves/Tin Orchard (Europe).srm"), expected);
}

TEST_F(Carry, StopsWithTheRightName) {
  const auto before = snapshot(folder_ / "den");
  EXPECT_EQ(stop_code(carry_one(at("reader/dead battery/Lantern Drift.srm"), "den")),
            "blank-source");
  EXPECT_EQ(stop_code(carry_one(at("downloads/Lantern Drift (Europe).srm"), "den")),
            "state-not-save");
  EXPECT_EQ(stop_code(carry_one(at("downloads/Copper Tide (Europe).sra"), "den")),
            "region-differs");
  folder_.write("downloads/lantern drift.sav", demo::progress("L", 0x2000, 40, std::byte{0}));
  EXPECT_EQ(stop_code(carry_one(at("downloads/lantern drift.sav"), "den")), "many-match");
  folder_.write("downloads/Unheard Of.sav", demo::progress("U", 0x2000, 41, std::byte{0}));
  EXPECT_EQ(stop_code(carry_one(at("downloads/Unheard Of.sav"), "den")), "no-match");
  folder_.write("downloads/Copper Tide (America).eep", demo::progress("C", 512, 42, std::byte{0}));
  CarryRequest chip;
  chip.saves = {at("downloads/Copper Tide (America).eep")};
  chip.is = "n64-eeprom4k";
  chip.to = "den";
  EXPECT_EQ(stop_code(carry_it(chip)), "chip-differs");
  folder_.write("reader/Copper Tide (America).sra", test::random_bytes(20'000, 1));
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "damaged");
  chip.saves = {at("reader/Glacier Post (America).eep")};
  chip.is.reset();
  chip.rom = folder_ / "den/roms/n64/Copper Tide (America).z64";
  EXPECT_EQ(stop_code(carry_it(chip)), "chip-differs");
  EXPECT_EQ(snapshot(folder_ / "den"), before);
}

TEST_F(Carry, StopsAtAnotherGameUnderTheSameName) {
  folder_.write("downloads/Copper Tide (America).z64", demo::n64_rom("QUARRY HEART", "NQHE"));
  folder_.write("downloads/Copper Tide (America).sra",
                demo::progress("Q", 0x8000, 43, std::byte{0xFF}));
  EXPECT_EQ(stop_code(carry_one(at("downloads/Copper Tide (America).sra"), "den")), "other-game");
}

TEST_F(Carry, LossesStopUnlessAccepted) {
  // The reader's shelves know no flash; the den's container gets some.
  const Path container = folder_ / "den/saves/Copper Tide (America).srm";
  (void)carry_one("reader:Copper Tide", "den");
  ASSERT_TRUE(demo::play_evening(container));
  Bytes bytes = read(container);
  put(bytes, 0x28800, test::random_bytes(0x20000, 3));
  folder_.write("den/saves/Copper Tide (America).srm", bytes);
  const CarryReport stopped = carry_one("den:Copper Tide", "reader");
  EXPECT_EQ(stop_code(stopped), "chip-differs");
  EXPECT_EQ(
      stop_code(carry_one("den:Copper Tide", "reader", {Code::chip_differs, Code::loses_parts})),
      "");
}

TEST_F(Carry, GameAndRomNameTheTarget) {
  folder_.write("downloads/backup 3.bin", demo::progress("L", 0x2000, 44, std::byte{0}));
  CarryRequest request;
  request.saves = {at("downloads/backup 3.bin")};
  request.is = "snes-battery";
  request.to = "den";
  request.game = "Lantern Drift (Europe)";
  request.plan = true;
  CarryReport report = carry_it(request);
  EXPECT_EQ(report.moves.at(0).to, at("den/saves/Lantern Drift (Europe).srm"));
  request.game.reset();
  request.rom = folder_ / "den/roms/snes/Lantern Drift (Japan).sfc";
  report = carry_it(request);
  EXPECT_EQ(report.moves.at(0).to, at("den/saves/Lantern Drift (Japan).srm"));
}

TEST_F(Carry, ALooseFileIsReadAsTheGameThatItIsNamedAfter) {
  // 8 KiB can be many things; the den has one ROM of that name.
  folder_.write("loose/Tin Orchard (Europe).bin", demo::progress("T", 0x2000, 45, std::byte{0xFF}));
  CarryReport report = carry_one(at("loose/Tin Orchard (Europe).bin"), "den", {Code::newer_there});
  EXPECT_EQ(stop_code(report), "");
  EXPECT_EQ(report.moves.at(0).to_layout, "gb-battery-clock48");
  folder_.write("loose/glacier post.bin", demo::progress("G", 512, 46, std::byte{0xFF}));
  report = carry_one(at("loose/glacier post.bin"), "den");
  EXPECT_EQ(stop_code(report), "");
  EXPECT_EQ(report.moves.at(0).from_layout, "n64-eeprom4k");
  folder_.write("loose/Copper Tide.bin", test::random_bytes(20'000, 3));
  EXPECT_EQ(stop_code(carry_one(at("loose/Copper Tide.bin"), "den")), "damaged");
  folder_.write("loose/Copper Tide.sav", test::random_bytes(90'000, 3));
  EXPECT_EQ(stop_code(carry_one(at("loose/Copper Tide.sav"), "den")), "state-not-save");
}

TEST_F(Carry, AnotherFamilyUnderTheSameNameIsNotOverwritten) {
  folder_.write("loose/Lantern Drift (Japan).sfc", demo::gb_rom("LANTERN DRIFT", 0x03, 2));
  folder_.write("loose/Lantern Drift (Japan).sav",
                demo::progress("L", 0x2000, 47, std::byte{0xFF}));
  EXPECT_EQ(stop_code(carry_one(at("loose/Lantern Drift (Japan).sav"), "den")), "no-match");
}

TEST_F(Carry, NeverFollowsALinkOutOfTheBay) {
  const Path outside = folder_.write("outside/target.srm", test::filled(0x2000, 7));
  std::filesystem::remove_all(folder_ / "den/saves");
  std::filesystem::create_directory_symlink(folder_ / "outside", folder_ / "den/saves");
  const auto before = snapshot(folder_ / "outside");
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "link");
  EXPECT_EQ(snapshot(folder_ / "outside"), before);
  std::filesystem::remove(folder_ / "den/saves");
  std::filesystem::create_directory(folder_ / "den/saves");
  std::filesystem::create_symlink(outside, folder_ / "den/saves/Copper Tide (America).srm");
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "link");
  EXPECT_EQ(snapshot(folder_ / "outside"), before);
}

// A disk with little room, on a medium that people take out.
class SmallDisk final : public test::FailingStorage {
 public:
  explicit SmallDisk(std::uint64_t free) : FailingStorage(0, Fault::error), free_(free) {}
  std::optional<std::uint64_t> free_space(const Path& /*path*/) override { return free_; }
  bool is_removable(const Path& /*path*/) override { return true; }
  Result<void> flush_medium(const Path& /*path*/) override {
    ++settled;
    return {};
  }
  int settled = 0;

 private:
  std::uint64_t free_;
};

TEST_F(Carry, AFullPlaceIsFoundFirst) {
  const auto before = snapshot(folder_ / "den");
  SmallDisk full(300'000);
  CarryRequest request;
  request.saves = {"reader:Copper Tide"};
  request.to = "den";
  EXPECT_EQ(stop_code(carry_it(request, full)), "no-room");
  EXPECT_EQ(snapshot(folder_ / "den"), before);
  EXPECT_EQ(full.settled, 0);
  SmallDisk roomy(400'000'000);
  const CarryReport report = carry_it(request, roomy);
  EXPECT_EQ(report.moves[0].status, MoveStatus::done);
  EXPECT_EQ(roomy.settled, 1) << "all of it is on the medium before that is said";
  EXPECT_EQ(report.safe_to_remove, at("den"));
}

TEST_F(Carry, APlaceThatGoesAwayIsToldInFull) {
  CarryRequest all;
  all.all = true;
  all.from = "reader";
  all.to = "den";
  std::size_t seen = 0;
  for (std::size_t operation = 1; operation < 40; ++operation) {
    test::FailingStorage storage(operation, test::FailingStorage::Fault::power_loss);
    Session session = open(storage);
    const auto report = carry(session, all);
    if (!storage.failed()) break;
    Session next = open();
    ASSERT_TRUE(recover(next));
    if (!report || !report->failed) continue;
    ++seen;
    EXPECT_EQ(report->failed->trouble, Trouble::place);
    EXPECT_NE(report->failed->hint.text().find("not done: "), std::string::npos)
        << report->failed->hint.text();
    // What is named as done is done, and can be taken back.
    for (const MoveReport& move : report->moves) EXPECT_EQ(move.status, MoveStatus::done);
    ASSERT_TRUE(undo(next, "", {}));
  }
  EXPECT_GE(seen, 2U);
}

TEST_F(Carry, AFileThatIsBeingWrittenIsLeftAlone) {
  const Path there = folder_ / "den/saves/Copper Tide (America).srm";
  if (disk().born_ns(there) == 0)
    GTEST_SKIP() << "this file system does not tell when files are made";
  // A program writes into the file that has been there for a while.
  const Bytes before = read(there);
  std::filesystem::last_write_time(
      there, std::filesystem::file_time_type::clock::now() + std::chrono::milliseconds(-50));
  std::this_thread::sleep_for(std::chrono::milliseconds(150));
  folder_.write("den/saves/Copper Tide (America).srm", before);
  const CarryReport report = carry_one("reader:Copper Tide", "den");
  ASSERT_EQ(report.moves[0].status, MoveStatus::stopped);
  EXPECT_TRUE(has_code(report.moves[0].checks, Code::in_use));
  // Who waits, or has seen that the file is young, goes on.
  CarryRequest request;
  request.saves = {"reader:Copper Tide"};
  request.to = "den";
  request.wait_seconds = 5;
  const CarryReport waited = carry_it(request);
  EXPECT_FALSE(has_code(waited.moves[0].checks, Code::in_use));
  EXPECT_EQ(carry_one("reader:Copper Tide", "den", {Code::newer_there}).moves[0].status,
            MoveStatus::done);
  // What Bay Swap itself wrote is no alarm.
  EXPECT_EQ(stop_code(carry_one("reader:Copper Tide", "den")), "");
}

}  // namespace
}  // namespace bayswap
