// Every changing file operation of the history's database fails in turn, finds the disk full,
// writes half, or is the last before the power goes away, with what was not flushed lost in part.
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdio>

#include "bayswap/card_file.h"
#include "bayswap/versions.h"
#include "support/card_zoo.h"
#include "support/failing_sqlite.h"
#include "support/failing_storage.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::FailingSqlite;
using test::FailingStorage;
using Files = std::map<std::string, Bytes>;
using Command = std::function<bool(Session&)>;

const std::string kCard = "den/cards/left.card";
constexpr std::size_t kLeast = 3;  // faults that each test injects

bool carry_save(Session& session) {
  CarryRequest request;
  request.saves = {"reader:Copper Tide"};
  request.to = "den";
  request.accept = {Code::newer_there};
  const auto report = carry(session, request);
  return report && !report->failed;
}

class SqliteFaults : public test::WorldTest {
 protected:
  // Runs the command with each fault at each operation. Gives how many were injected.
  std::size_t run_all(const Command& command) {
    copy("den", "old-den");
    copy_history("history", "old-history");
    const Files old = test::contents(folder_ / "den");
    std::size_t operations = 0;
    {
      const FailingSqlite none(0, FailingSqlite::Fault::error);
      Session session = open();
      EXPECT_TRUE(command(session));
      operations = none.operations();
    }
    const Files wanted = test::contents(folder_ / "den");
    std::size_t injected = 0;
    // Every build tries a few of each kind (support/rounds.h).
    const std::size_t stride =
        std::max<std::size_t>(1, operations / static_cast<std::size_t>(test::rounds(4)));
    for (const auto fault : {FailingSqlite::Fault::error, FailingSqlite::Fault::full,
                             FailingSqlite::Fault::half, FailingSqlite::Fault::power_loss})
      for (std::size_t at = 1 + operations % stride; at <= operations; at += stride) {
        SCOPED_TRACE(std::to_string(static_cast<int>(fault)) + " at " + std::to_string(at));
        copy("old-den", "den");
        copy_history("old-history", "history");
        if (!inject(command, at, fault)) continue;
        ++injected;
        expect_old_or_new(command, old, wanted);
        if (HasFailure()) return injected;
      }
    RecordProperty("injected", static_cast<int>(injected));
    std::printf("%zu faults at %zu operations\n", injected, operations);
    return injected;
  }

 private:
  // False when the command was done before the fault.
  bool inject(const Command& command, std::size_t at, FailingSqlite::Fault fault) {
    FailingSqlite sqlite(at, fault);
    FailingStorage storage([&] { return sqlite.power_is_lost(); });
    {
      Session session = open(storage);
      (void)command(session);
    }
    if (sqlite.power_is_lost()) sqlite.lose_what_was_not_flushed(static_cast<std::uint32_t>(at));
    return sqlite.failed();
  }

  void expect_old_or_new(const Command& command, const Files& old, const Files& wanted) {
    Session session = open();
    const auto listed = list_history(session, {"", false, false});
    EXPECT_TRUE(listed) << "those who only read come first: " << listed.error().text;
    const auto recovered = recover(session);
    ASSERT_TRUE(recovered) << recovered.error().text;
    const Files now = test::contents(folder_ / "den");
    EXPECT_TRUE(now == old || now == wanted);
    const auto checked = verify_history(session);
    ASSERT_TRUE(checked) << checked.error().text;
    EXPECT_TRUE(checked->damaged.empty());
    if (now == old) {
      EXPECT_TRUE(command(session)) << "the next run works";
      EXPECT_EQ(test::contents(folder_ / "den"), wanted);
    }
  }

  void copy(const std::string& from, const std::string& to) {
    std::filesystem::remove_all(folder_ / to);
    std::filesystem::copy(folder_ / from, folder_ / to, std::filesystem::copy_options::recursive);
    for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / from))
      std::filesystem::last_write_time(
          folder_ / to / entry.path().lexically_relative(folder_ / from), entry.last_write_time());
  }
  void copy_history(const std::string& from, const std::string& to) {
    const auto place = [&](const std::string& name) {
      return name == "history" ? demo::places(folder_.path()).data : folder_ / name;
    };
    std::filesystem::remove_all(place(to));
    std::filesystem::create_directories(place(to));
    if (std::filesystem::exists(place(from)))
      std::filesystem::copy(place(from), place(to), std::filesystem::copy_options::recursive);
  }
};

TEST_F(SqliteFaults, ACarryIsOldOrNew) {
  EXPECT_GE(run_all(carry_save), kLeast);
}

TEST_F(SqliteFaults, AnUndoIsOldOrNew) {
  Session session = open();
  ASSERT_TRUE(carry_save(session));
  EXPECT_GE(run_all([](Session& later) { return undo(later, "", {}).has_value(); }), kLeast);
}

TEST_F(SqliteFaults, AChangedCardIsOldOrNew) {
  EXPECT_GE(
      run_all([&](Session& session) {
        const auto dropped = drop_saves(session, {at(kCard), {"BASLUS-00417TOWER"}, "", false, {}});
        return dropped && dropped->report.moves.front().status == MoveStatus::done;
      }),
      kLeast);
}

TEST_F(SqliteFaults, ARestoreIsOldOrNew) {
  std::string oldest;
  {
    Session session = open();
    ASSERT_TRUE(keep(session, {{"den"}, {}}));
    ASSERT_TRUE(carry_save(session));
    const auto saves = list_history(session, {"den:Copper Tide", false, false});
    ASSERT_TRUE(saves);
    oldest = saves->front().versions.front().id;
  }
  EXPECT_GE(run_all([&](Session& session) {
              const auto restored = restore(session, {"den:Copper Tide", oldest, false});
              return restored && !restored->failed;
            }),
            kLeast);
}

TEST_F(SqliteFaults, KeepingAndTidyingLoseNothing) {
  EXPECT_GE(run_all([](Session& session) {
              return keep(session, {{"den"}, {}}).has_value();
            }),
            kLeast);
  for (int number = 0; number < 3; ++number) {
    Session session = open();
    ASSERT_TRUE(carry_save(session));
    ASSERT_TRUE(undo(session, "", {}));
  }
  EXPECT_GE(run_all([](Session& session) {
              return tidy_history(session, {0, 1}, false).has_value();
            }),
            kLeast);
}

}  // namespace
}  // namespace bayswap
