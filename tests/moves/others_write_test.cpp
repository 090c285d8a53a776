// Somebody else writes at a chosen moment of a move, or the medium fails: what stays, what is in
// history, what is said. tests/cli/adversary_test.cpp does the same at every system call.
#include "bayswap/versions.h"
#include "core/bytes/hash.h"
#include "history/history.h"
#include "support/failing_storage.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::FailingStorage;
using test::read;

// Calls back around the moment in which what is staged takes its place.
class Moments final : public FailingStorage {
 public:
  Moments() : FailingStorage(0, Fault::error) {}
  std::function<void()> before;
  std::function<void()> after;

  Result<bool> exchange(const Path& a, const Path& b) override {
    if (before) std::exchange(before, {})();
    auto done = disk().exchange(a, b);
    if (after) std::exchange(after, {})();
    return done;
  }
  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    auto seen = disk().view(path, limit);
    if (!seen || path != wrong_) return seen;
    Bytes bytes(seen->bytes().begin(), seen->bytes().end());
    if (!bytes.empty()) bytes.back() ^= std::byte{1};
    return FileView(std::move(bytes));
  }
  /// From now on the file reads differently from what was written.
  void reads_wrongly(const Path& path) { wrong_ = path; }

 private:
  Path wrong_;
};

class OthersWrite : public test::TitlePlaces {
 protected:
  void SetUp() override {
    test::TitlePlaces::SetUp();
    folder_.write(kFrom + "same.bin", test::random_bytes(3000, 5), 900);
    folder_.write(kTo + "same.bin", test::random_bytes(3000, 5), 900);
    folder_.write(kTo + "own1.bin", test::random_bytes(100, 6), 900);
    folder_.write(kTo + "own2.bin", test::random_bytes(100, 7), 900);
    old_ = test::contents(folder_ / kTo);
    changed_ = "profile.dat";
    ASSERT_TRUE(old_.contains(changed_));
  }
  // The code of what stopped or failed; empty when it was done.
  std::string carry_with(Moments& storage) {
    Session session = open(storage);
    CarryRequest request;
    request.saves = {"desk:Halyard"};
    request.to = "console";
    const auto report = carry(session, request);
    if (!report) return std::string(to_string(report.error().code));
    if (report->failed) return std::string(to_string(report->failed->code));
    return stop_code(*report);
  }
  [[nodiscard]] bool in_history(const Bytes& bytes) {
    const auto history = History::open_to_read(disk(), open().history_file());
    if (!history || !*history) return false;
    const auto content = (*history)->content(version_digest(bytes));
    return content && *content == bytes;
  }
  [[nodiscard]] bool has_leftovers() const {
    for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / "console"))
      if (entry.path().filename().string().starts_with(".bayswap-")) return true;
    return false;
  }

  const std::string kFrom = "desk/wiiu/00050000/10100a00/user/80000001/";
  const std::string kTo = "console/save/00050000/10100a00/user/8000002a/";
  std::string changed_;
  std::map<std::string, Bytes> old_;
  const Bytes played_ = test::random_bytes(4000, 99);
};

TEST_F(OthersWrite, AFileThatAppearsWhileTheFolderIsStagedStopsTheMove) {
  Moments storage;
  storage.before = [&] { folder_.write(kTo + "new.bin", played_); };
  EXPECT_EQ(carry_with(storage), "in-use");
  auto wanted = old_;
  wanted["new.bin"] = played_;
  EXPECT_EQ(test::contents(folder_ / kTo), wanted);
  EXPECT_FALSE(has_leftovers());
}

TEST_F(OthersWrite, AnEqualFileThatIsWrittenMeanwhileStopsTheMove) {
  Moments storage;
  storage.before = [&] { folder_.write(kTo + "same.bin", played_); };
  EXPECT_EQ(carry_with(storage), "in-use");
  auto wanted = old_;
  wanted["same.bin"] = played_;
  EXPECT_EQ(test::contents(folder_ / kTo), wanted);
}

TEST_F(OthersWrite, AFileThatOnlyTheDestinationHasIsWatchedToo) {
  Moments storage;
  storage.before = [&] { std::filesystem::remove(folder_ / (kTo + "own1.bin")); };
  EXPECT_EQ(carry_with(storage), "in-use");
  auto wanted = old_;
  wanted.erase("own1.bin");
  EXPECT_EQ(test::contents(folder_ / kTo), wanted);
}

TEST_F(OthersWrite, WhatIsWrittenRightAfterTheSwapStays) {
  Moments storage;
  storage.after = [&] { folder_.write(kTo + changed_, played_); };
  EXPECT_EQ(carry_with(storage), "in-use");
  EXPECT_EQ(read(folder_ / (kTo + changed_)), played_);
  EXPECT_TRUE(in_history(old_.at(changed_)));
  EXPECT_TRUE(in_history(played_));
  EXPECT_FALSE(has_leftovers());
  // The history tells both, and the older one can come back.
  Session session = open();
  const auto saves = list_history(session, {at(kTo + changed_), false, false});
  ASSERT_TRUE(saves) << saves.error().text;
  EXPECT_GE(saves->at(0).versions.size(), 2U);
}

TEST_F(OthersWrite, AMediumThatReadsDifferentlyGetsTheOldFolderBack) {
  Moments storage;
  storage.after = [&] { storage.reads_wrongly(folder_ / (kTo + changed_)); };
  EXPECT_EQ(carry_with(storage), "read-back");
  EXPECT_EQ(test::contents(folder_ / kTo), old_);
}

TEST_F(OthersWrite, AFileOnAMediumThatReadsDifferentlyToo) {
  const Path file = folder_ / "den/saves/Copper Tide (America).srm";
  const Bytes old = read(file);
  Moments storage;
  storage.after = [&] { storage.reads_wrongly(file); };
  Session session = open(storage);
  CarryRequest request;
  request.saves = {"reader:Copper Tide"};
  request.to = "den";
  request.accept = {Code::newer_there};
  const auto report = carry(session, request);
  ASSERT_FALSE(report);
  EXPECT_EQ(report.error().trouble, Trouble::read_back);
  EXPECT_EQ(read(file), old);
}

// A storage under one of whose places nothing can be changed.
class Stuck final : public FailingStorage {
 public:
  enum class Way { read_only, foreign, immutable };
  Stuck(Path place, Way way)
      : FailingStorage(0, Fault::error), place_(std::move(place)), way_(way) {}

  Result<void> create(const Path& path, ByteView bytes, std::uint32_t mode) override {
    return refuses(path, true) ? refused(path) : disk().create(path, bytes, mode);
  }
  Result<void> rename_new(const Path& from, const Path& to) override {
    return refuses(to, false) ? refused(to) : disk().rename_new(from, to);
  }
  Result<bool> exchange(const Path& a, const Path& b) override {
    if (refuses(b, false)) return tl::unexpected(refused(b).error());
    return disk().exchange(a, b);
  }
  Result<void> remove(const Path& path) override {
    return refuses(path, false) ? refused(path) : disk().remove(path);
  }
  Result<void> remove_folder(const Path& path) override {
    return refuses(path, false) ? refused(path) : disk().remove_folder(path);
  }
  Result<std::unique_ptr<TakenOut>> take_out(const Path& path) override {
    if (refuses(path, false)) return tl::unexpected(refused(path).error());
    return disk().take_out(path);
  }
  Result<void> set_modified(const Path& path, std::int64_t time) override {
    return refuses(path, true) ? refused(path) : disk().set_modified(path, time);
  }
  Result<std::vector<std::string>> list(const Path& folder) override {
    if (way_ == Way::foreign && refuses(folder, false))
      return fail(Trouble::input, Code::unreadable, folder.string() + ": belongs to another user");
    return disk().list(folder);
  }

 private:
  [[nodiscard]] bool refuses(const Path& path, bool writing) const {
    if (way_ == Way::immutable && writing) return false;
    return path.string().starts_with(place_.string());
  }
  static Result<void> refused(const Path& path) {
    return fail(Trouble::place, Code::place_failed, path.string() + ": cannot be written");
  }

  Path place_;
  Way way_;
};

class StuckMoves : public OthersWrite {
 protected:
  // A carry of the title, after which the power goes; gives whether it was cut off.
  bool cut_off(std::size_t operation) {
    FailingStorage storage(operation, FailingStorage::Fault::power_loss);
    Session session = open(storage);
    CarryRequest request;
    request.saves = {"desk:Halyard"};
    request.to = "console";
    (void)carry(session, request);
    return storage.failed();
  }

  // While the move can't be settled, everything else works, and one line says why.
  void others_work(Storage& storage) {
    Session session = open(storage);
    CarryRequest request;
    request.saves = {"reader:Copper Tide"};
    request.to = "den";
    request.accept = {Code::newer_there};
    const auto report = carry(session, request);
    ASSERT_TRUE(report) << report.error().text;
    EXPECT_EQ(stop_code(*report), "");
    EXPECT_TRUE(undo(session, "", {}));
    EXPECT_TRUE(list_history(session, {}));
    EXPECT_TRUE(keep(session, {{at("ferry")}, "meanwhile"}));
    const auto history = History::open_to_read(disk(), session.history_file());
    ASSERT_TRUE(history && *history);
    if ((*history)->unfinished()->empty()) return;  // there was nothing to be done
    ++waited_;
    EXPECT_EQ(session.notes.size(), 1U);
    // The paths of the move itself are held up.
    CarryRequest again;
    again.saves = {"desk:Halyard"};
    again.to = "console";
    const auto stopped = carry(session, again);
    const bool through = stopped && !stopped->failed &&
                         stopped->moves.at(0).status == MoveStatus::done &&
                         !stopped->moves.at(0).nothing_to_do;
    EXPECT_FALSE(through);
  }

  void heals() {
    Session session = open();
    EXPECT_TRUE(recover(session));
    EXPECT_TRUE(session.notes.empty());
    EXPECT_FALSE(has_leftovers());
    if (test::contents(folder_ / kTo) != old_) {
      EXPECT_TRUE(undo(session, "", {}));
    }
    EXPECT_EQ(test::contents(folder_ / kTo), old_);
  }

  void run(Stuck::Way way) {
    for (std::size_t operation = 1; operation < 60; operation += 4) {
      SCOPED_TRACE("cut off at operation " + std::to_string(operation));
      if (!cut_off(operation)) break;
      Stuck storage(folder_ / "console", way);
      others_work(storage);
      heals();
      if (HasFailure()) return;
    }
    EXPECT_GT(waited_, 2U);
  }

  std::size_t waited_ = 0;
};

TEST_F(StuckMoves, OnAReadOnlyCardWait) {
  run(Stuck::Way::read_only);
}
TEST_F(StuckMoves, InAFolderOfAnotherOwnerWait) {
  run(Stuck::Way::foreign);
}
TEST_F(StuckMoves, InAnImmutableFolderWait) {
  run(Stuck::Way::immutable);
}

TEST_F(StuckMoves, OnACardThatIsOutWait) {
  for (std::size_t operation = 1; operation < 60; operation += 4) {
    if (!cut_off(operation)) break;
    std::filesystem::rename(folder_ / "console", folder_ / "away");
    others_work(disk());
    std::filesystem::rename(folder_ / "away", folder_ / "console");
    heals();
  }
  EXPECT_GT(waited_, 2U);
}

TEST_F(StuckMoves, WhoseFolderHasBecomeALinkHoldUpNothing) {
  for (std::size_t operation = 2; operation < 60; operation += 4) {
    if (!cut_off(operation)) break;
    const Path title = folder_ / kTo.substr(0, kTo.size() - 1);
    if (!std::filesystem::is_directory(title)) {
      heals();
      continue;
    }
    std::filesystem::rename(title, folder_ / "moved");
    std::filesystem::create_directory_symlink(folder_ / "moved", title);
    const auto moved = test::contents(folder_ / "moved");
    others_work(disk());
    EXPECT_TRUE(std::filesystem::is_symlink(title));
    EXPECT_EQ(test::contents(folder_ / "moved"), moved);
    std::filesystem::remove(title);
    std::filesystem::rename(folder_ / "moved", title);
    Session session = open();
    EXPECT_TRUE(recover(session));
    EXPECT_FALSE(has_leftovers());
    if (test::contents(folder_ / kTo) != old_) {
      // It counts as the user's now; the old one is in history.
      for (const auto& [name, bytes] : old_)
        EXPECT_TRUE(test::contents(folder_ / kTo).contains(name) || in_history(bytes)) << name;
      break;
    }
  }
}

// The user can end a move that will never be settled.
TEST_F(StuckMoves, CanBeLeftAsTheyAre) {
  std::size_t operation = 12;
  ASSERT_TRUE(cut_off(operation));
  std::filesystem::rename(folder_ / "console", folder_ / "away");
  Session session = open();
  ASSERT_TRUE(recover(session));
  ASSERT_EQ(session.notes.size(), 1U);
  const std::string name =
      session.notes.front().text.substr(9, session.notes.front().text.find(' ', 9) - 9);
  const auto refused = undo(session, name, {});
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Code::in_use);
  const auto ended = undo(session, name, {Code::newer_there});
  ASSERT_TRUE(ended) << ended.error().text;
  EXPECT_TRUE(ended->moves.empty());
  ASSERT_EQ(session.notes.size(), 1U);
  EXPECT_NE(session.notes.front().text.find("has ended"), std::string::npos);
  Session next = open();
  EXPECT_TRUE(recover(next));
  EXPECT_TRUE(next.notes.empty());
}

// A disk that holds nothing above one megabyte in memory, as none above a gigabyte is held: such
// files go through carry, undo and restore piece by piece.
class Narrow final : public FailingStorage {
 public:
  Narrow() : FailingStorage(0, Fault::error) {}
  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    return disk().view(path, std::min<std::uint64_t>(limit, 1U << 20U));
  }
  Result<Bytes> read(const Path& path, std::uint64_t limit) override {
    return disk().read(path, std::min<std::uint64_t>(limit, 1U << 20U));
  }
  Result<Digest> copy(const Path& from, const Path& to, std::uint32_t mode,
                      const CopyProgress& progress) override {
    return disk().copy(from, to, mode, progress);
  }
  Result<Digest> digest(const Path& path) override { return disk().digest(path); }
  Result<bool> same(const Path& a, const Path& b) override { return disk().same(a, b); }
  Result<void> stream(const Path& path, std::size_t piece,
                      const std::function<bool(ByteView)>& take) override {
    return disk().stream(path, piece, take);
  }
  Result<void> create_from(const Path& path, std::uint32_t mode,
                           const std::function<Result<void>(const ByteSink&)>& fill) override {
    return disk().create_from(path, mode, [&](const ByteSink& sink) {
      return fill([&](ByteView piece) {
        EXPECT_LE(piece.size(), 1U << 20U);
        return sink(piece);
      });
    });
  }
  Result<std::unique_ptr<TakenOut>> take_out(const Path& file) override {
    return disk().take_out(file);
  }
};

TEST_F(OthersWrite, FilesThatAreNeverHeldAreCarriedUndoneAndRestored) {
  folder_.write(kFrom + "world.bin", test::random_bytes((9U << 20U) + 5, 1), 1);
  folder_.write(kTo + "world.bin", test::random_bytes((10U << 20U) + 3, 2), 900);
  old_ = test::contents(folder_ / kTo);
  const auto before = test::snapshot(folder_ / "console");
  Narrow storage;
  Session session = open(storage);
  CarryRequest request;
  request.saves = {"desk:Halyard"};
  request.to = "console";
  const auto report = carry(session, request);
  ASSERT_TRUE(report) << report.error().text;
  ASSERT_EQ(stop_code(*report), "");
  const auto carried = test::contents(folder_ / kTo);
  EXPECT_NE(carried, old_);
  const auto undone = undo(session, "", {});
  ASSERT_TRUE(undone) << undone.error().text;
  EXPECT_EQ(test::snapshot(folder_ / "console"), before);
  const auto saves = list_history(session, {at(kTo), false, false});
  ASSERT_TRUE(saves) << saves.error().text;
  const auto& versions = saves->at(0).versions;
  ASSERT_GE(versions.size(), 2U);
  const auto restored = restore(session, {at(kTo), versions.at(1).id, false});
  ASSERT_TRUE(restored) << restored.error().text;
  EXPECT_EQ(test::contents(folder_ / kTo), carried);
}

// A file that shrinks while it is looked at ends nothing.
TEST(Views, DoNotChangeWithTheFile) {
  const test::TempFolder folder;
  const Bytes large = test::random_bytes(5U << 20U, 3);
  const Path path = folder.write("large", large);
  const auto view = disk().view(path, kSaveLimit);
  ASSERT_TRUE(view);
  std::filesystem::resize_file(path, 10);
  EXPECT_EQ(Bytes(view->bytes().begin(), view->bytes().end()), large);
}

}  // namespace
}  // namespace bayswap
