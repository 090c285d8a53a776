// Carries of folders through the library.
#include "bayswap/folder.h"
#include "files/atomic_write.h"
#include "history/history.h"
#include "moves/mover.h"
#include "places/find_folders.h"
#include "support/golden_titles.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::read;

class FolderMoves : public test::TitlePlaces {};

TEST_F(FolderMoves, FindsFoldersWhereTheyAre) {
  std::vector<std::string> found;
  for (const FoundFolder& folder : find_folders(disk(), folder_ / "desk"))
    found.push_back(folder.path.lexically_relative(folder_ / "desk").generic_string());
  EXPECT_EQ(found, (std::vector<std::string>{"3ds/title/00040000/000d4c00/data/00000001",
                                             "psp/ULES10099CUP", "wii/title/00010000/524b4645/data",
                                             "wiiu/00050000/10100a00/user/80000001",
                                             "wiiu/00050000/10100a00/user/common"}));
  EXPECT_FALSE(folder_at(disk(), folder_ / "desk"));
  EXPECT_TRUE(folder_at(disk(), folder_ / "desk/wiiu/00050000/10100a00/user/common")->place.shared);
}

TEST_F(FolderMoves, OldFilesGoAndComeBack) {
  const Path there = folder_ / "console/PSP/SAVEDATA/ULES10099CUP";
  folder_.write("console/PSP/SAVEDATA/ULES10099CUP/OLD.BIN", test::random_bytes(300, 1), 330);
  std::filesystem::create_directories(there / "KEPT");
  const auto before = test::snapshot(folder_ / "console");
  CarryRequest request;
  request.saves = {"desk:ULES10099CUP"};
  request.to = "console";
  request.whole = true;
  EXPECT_EQ(stop_code(carry_it(request)), "");
  EXPECT_FALSE(std::filesystem::exists(there / "OLD.BIN"));
  EXPECT_TRUE(std::filesystem::exists(there / "KEPT")) << "empty folders are nobody's progress";
  EXPECT_EQ(read(there / "DATA.BIN"), read(folder_ / "desk/psp/ULES10099CUP/DATA.BIN"));
  Session session = open();
  EXPECT_TRUE(undo(session, "", {}));
  EXPECT_EQ(test::snapshot(folder_ / "console"), before);
}

// A folder that is too large to be held in memory is copied in pieces, and comes back all the same.
TEST_F(FolderMoves, LargeFoldersMoveInPieces) {
  const std::string from = "desk/wiiu/00050000/10100a00/user/80000001/";
  const std::string to = "console/save/00050000/10100a00/user/8000002a/";
  folder_.write(from + "world.bin", test::random_bytes((20U << 20U) + 7, 1));
  folder_.write(to + "world.bin", test::random_bytes((18U << 20U) + 3, 2), 300);
  for (unsigned i = 0; i < 20; ++i)
    folder_.write(from + "tiles/" + std::to_string(i), test::random_bytes(90'000, i));
  const auto before = test::snapshot(folder_ / "console");
  CarryRequest request;
  request.saves = {"desk:Halyard"};
  request.to = "console";
  test::Told told;
  {
    Session session = open();
    session.progress = &told;
    const auto report = carry(session, request);
    ASSERT_TRUE(report);
    EXPECT_EQ(stop_code(*report), "");
  }
  EXPECT_EQ(told.bytes, told.all_bytes);
  EXPECT_GT(told.all_bytes, 20U << 20U);
  EXPECT_EQ(test::contents(folder_ / to), test::contents(folder_ / from));
  const CarryReport again = carry_it(request);
  EXPECT_TRUE(again.moves.at(0).nothing_to_do);
  Session session = open();
  EXPECT_TRUE(undo(session, "", {}));
  EXPECT_EQ(test::snapshot(folder_ / "console"), before);
}

TEST_F(FolderMoves, SealedAndOpenStayApart) {
  folder_.write("card/private/wii/title/RKFE/data.bin", test::random_bytes(2000, 1));
  folder_.write("card/private/wii/title/RQCE/data.bin", test::random_bytes(2000, 2), 300);
  folder_.write("other/private/wii/title/RQCE/data.bin", test::random_bytes(2000, 3), 400);
  learn("card");
  learn("other");
  // Sealed files move unopened, under their own name.
  EXPECT_EQ(stop_code(carry_one("card:RKFE", "other")), "");
  EXPECT_EQ(read(folder_ / "other/private/wii/title/RKFE/data.bin"),
            read(folder_ / "card/private/wii/title/RKFE/data.bin"));
  // They never become open folders, nor the other way round.
  const CarryReport open_there = carry_one("card:RKFE", "desk");
  EXPECT_EQ(stop_code(open_there), "no-match");
  EXPECT_NE(open_there.moves.at(0).checks.at(0).text.find("sealed"), std::string::npos);
  EXPECT_EQ(stop_code(carry_one("desk:RKFE", "card")), "no-match");
}

TEST_F(FolderMoves, AYoungerCompanionIsLeft) {
  folder_.write("console/shared/roster.db", test::random_bytes(100, 1));
  const CarryReport report = carry_one("desk:RKFE", "console");
  EXPECT_EQ(stop_code(report), "");
  EXPECT_TRUE(has_code(report.moves.at(0).checks, Code::companion_left));
  EXPECT_EQ(read(folder_ / "console/shared/roster.db").size(), 100U);
  // Where it is nowhere to be found, the plan says so.
  std::filesystem::remove(folder_ / "desk/wii/shared/roster.db");
  EXPECT_TRUE(has_code(carry_one("desk:RKFE", "console").moves.at(0).checks, Code::companion_left));
}

TEST_F(FolderMoves, ALinkOutOfTheBayStops) {
  const Path saves = folder_ / "console/PSP/SAVEDATA";
  std::filesystem::rename(saves, folder_ / "elsewhere");
  std::filesystem::create_directory_symlink(folder_ / "elsewhere", saves);
  const auto before = test::snapshot(folder_ / "elsewhere");
  EXPECT_EQ(stop_code(carry_one("desk:ULES10099CUP", "console")), "link");
  EXPECT_EQ(test::snapshot(folder_ / "elsewhere"), before);
}

TEST_F(FolderMoves, ABayWithoutSuchAShelfSaysSo) {
  EXPECT_EQ(stop_code(carry_one("desk:ULES10099CUP", "den")), "no-match");
  EXPECT_EQ(stop_code(carry_one((folder_ / "desk/wiiu").string(), "den")), "no-match");
  CarryRequest request;
  request.saves = {(folder_ / "console").string()};
  request.to = "desk";
  Session session = open();
  const auto many = carry(session, request);
  ASSERT_FALSE(many);
  EXPECT_EQ(many.error().code, Code::many_match);
}

// What a crash can leave between the two renames, set up by hand: the next run ends it.
class Swaps : public test::WorldTest {
 protected:
  // A move that was begun: its journal is open, and nothing is written yet.
  MoveRecord begin(History& history) {
    MoveRecord move;
    move.kind = "carry";
    move.state = MoveState::writing;
    move.time_ns = 5;
    move.place = (folder_ / "tree").string();
    move.place_id = disk().identity(move.place);
    move.folder = place_.string();
    const auto command = history.begin_command("carry", 1);
    EXPECT_TRUE(command);
    move.command = *command;
    Step step;
    step.path = (place_ / "file").string();
    step.before = {*history.keep(old_), 1'700'000'000'000'000'000, 0644};
    step.after = {*history.keep(new_), 0, 0644};
    move.steps.push_back(std::move(step));
    EXPECT_TRUE(history.begin_move(move));
    return move;
  }
  void put(const std::string& folder, const Bytes& bytes) {
    folder_.write(folder + "/file", bytes);
  }
  std::string beside_name(const MoveRecord& move, const char* what) const {
    return "tree/.bayswap-" + tag_of(move) + "-" + what;
  }
  void expect_after_recovery(History& history, const Bytes& wanted) {
    EXPECT_TRUE(Mover(disk(), history).recover());
    EXPECT_EQ(read(place_ / "file"), wanted);
    EXPECT_EQ(disk().list(folder_ / "tree")->size(), 1U) << "nothing is left beside it";
    EXPECT_TRUE(history.unfinished()->empty());
  }

  const Path place_ = folder_ / "tree/save";
  const Bytes old_ = test::random_bytes(500, 1);
  const Bytes new_ = test::random_bytes(600, 2);
};

TEST_F(Swaps, StagedOnly) {
  auto history = History::open(disk(), folder_ / "history.db");
  ASSERT_TRUE(history);
  const MoveRecord move = begin(*history);
  put("tree/save", old_);
  put(beside_name(move, "new"), new_);
  expect_after_recovery(*history, old_);
}

TEST_F(Swaps, BetweenTheTwoRenames) {
  auto history = History::open(disk(), folder_ / "history.db");
  ASSERT_TRUE(history);
  const MoveRecord move = begin(*history);
  put(beside_name(move, "old"), old_);
  put(beside_name(move, "new"), new_);
  expect_after_recovery(*history, old_);
}

TEST_F(Swaps, TheOldOneStillWaits) {
  auto history = History::open(disk(), folder_ / "history.db");
  ASSERT_TRUE(history);
  const MoveRecord move = begin(*history);
  put("tree/save", new_);
  put(beside_name(move, "old"), old_);
  expect_after_recovery(*history, new_);
}

// What a move of another history left beside the folder is not ours to take.
TEST_F(Swaps, LeftoversOfOthersStay) {
  auto history = History::open(disk(), folder_ / "history.db");
  ASSERT_TRUE(history);
  put("tree/save", old_);
  put("tree/.bayswap-m1-6-old", new_);
  (void)begin(*history);
  EXPECT_TRUE(Mover(disk(), *history).recover());
  EXPECT_EQ(read(place_ / "file"), old_);
  EXPECT_EQ(read(folder_ / "tree/.bayswap-m1-6-old/file"), new_);
}

}  // namespace
}  // namespace bayswap
