// A history that somebody damaged: never a crash, never wrong bytes, and what is whole comes back.
// And faults of the place while a version is brought back.
#include <gtest/gtest.h>
#include <sqlite3.h>

#include <algorithm>

#include "bayswap/versions.h"
#include "core/bytes/hash.h"
#include "support/card_zoo.h"
#include "support/failing_storage.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::FailingStorage;

class HostileHistory : public test::WorldTest {
 protected:
  const std::string save_ = "den/saves/Tin Orchard (Europe).srm";
  const std::string card_ = "den/cards/velvet.card";

  // Two versions of a small save and of a card; gives their hashes.
  std::set<std::string> fill() {
    std::set<std::string> hashes;
    for (const std::string& name : {save_, card_})
      for (int version = 0; version < 2; ++version) {
        Bytes bytes = test::read(folder_ / name);
        bytes[bytes.size() / 2] ^= std::byte{0x40};
        folder_.write(name, bytes);
        hashes.insert(sha256_hex(bytes));
        Session session = open();
        EXPECT_TRUE(keep(session, {{at(name)}, {}}));
      }
    return hashes;
  }
  [[nodiscard]] Path database() const { return demo::places(folder_.path()).data / "history.db"; }
};

TEST_F(HostileHistory, RandomDamageNeverCrashesAndNeverGivesWrongBytes) {
  const std::set<std::string> hashes = fill();
  const Bytes sound = test::read(database());
  const auto den = test::snapshot(folder_ / "den");
  test::Numbers numbers(21);
  const int wanted = test::rounds(60);
  std::size_t refused = 0;
  for (int round = 0; round < wanted; ++round) {
    Bytes bytes = sound;
    if (numbers() % 8 == 0) bytes.resize(numbers() % bytes.size());
    // The first pages hold the schema and the small tables, where damage does most.
    const std::size_t reach =
        numbers() % 2 == 0 ? std::min<std::size_t>(bytes.size(), 40'000) : bytes.size();
    for (std::uint32_t flips = 1 + numbers() % 30; flips > 0 && reach > 0; --flips)
      bytes[numbers() % reach] ^= static_cast<std::byte>(1U << numbers() % 8);
    std::ofstream(database(), std::ios::binary | std::ios::trunc)
        .write(reinterpret_cast<const char*>(bytes.data()),
               static_cast<std::streamsize>(bytes.size()));
    Session session = open();
    const auto saves = list_history(session, {"", true, true});
    if (!saves) {
      ++refused;
      EXPECT_FALSE(saves.error().text.empty());
      EXPECT_FALSE(saves.error().hint.empty());
    } else {
      for (const SaveHistory& save : *saves)
        for (const Version& version : save.versions)
          if (!version.sha256.empty()) {
            EXPECT_TRUE(hashes.contains(version.sha256)) << save.path;
          }
    }
    (void)verify_history(session);
    (void)tidy_history(session, {}, true);
    (void)restore(session, {at(save_), "v2", true});
  }
  EXPECT_GT(refused, 0U);
  EXPECT_EQ(test::snapshot(folder_ / "den"), den) << "nothing but the history was touched";
}

TEST_F(HostileHistory, ASizeThatNobodyCanBelieveIsNoAllocation) {
  fill();
  sqlite3* raw = nullptr;
  ASSERT_EQ(sqlite3_open(database().c_str(), &raw), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(raw,
                         "UPDATE content SET size = 1000000000000; UPDATE piece SET size = "
                         "1000000000000",
                         nullptr, nullptr, nullptr),
            SQLITE_OK);
  sqlite3_close(raw);
  Session session = open();
  const auto checked = verify_history(session);
  ASSERT_TRUE(checked);
  EXPECT_EQ(checked->damaged.size(), 4U);
  const auto saves = list_history(session, {at(save_), true, true});
  ASSERT_TRUE(saves);
  for (const Version& version : saves->front().versions) EXPECT_FALSE(version.whole);
}

TEST_F(HostileHistory, AnotherProgramsDatabaseIsLeftAlone) {
  std::filesystem::create_directories(database().parent_path());
  sqlite3* raw = nullptr;
  ASSERT_EQ(sqlite3_open(database().c_str(), &raw), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(raw, "CREATE TABLE notes (text TEXT)", nullptr, nullptr, nullptr),
            SQLITE_OK);
  sqlite3_close(raw);
  const Bytes before = test::read(database());
  Session session = open();
  const auto kept = keep(session, {{at(save_)}, {}});
  ASSERT_FALSE(kept);
  EXPECT_EQ(kept.error().code, Code::history_failed);
  EXPECT_EQ(test::read(database()), before);
}

// Each changing operation of a restore fails in turn.
TEST_F(HostileHistory, AFaultWhileRestoringLeavesTheOldOrTheNew) {
  fill();
  Session session = open();
  const auto saves = list_history(session, {at(card_), false, false});
  ASSERT_TRUE(saves);
  const std::string first = saves->front().versions.front().id;
  const Bytes now = test::read(folder_ / card_);
  for (const auto fault : FailingStorage::kFaults) {
    std::size_t injected = 0;
    for (std::size_t place = 1; place < 50; place += test::step_of(4)) {
      FailingStorage storage(place, fault);
      Session failing = open(storage);
      const auto restored = restore(failing, {at(card_), first, false});
      Session next = open();
      ASSERT_TRUE(recover(next));
      const Bytes there = test::read(folder_ / card_);
      if (!storage.failed()) {
        ASSERT_TRUE(restored);
        EXPECT_NE(there, now);
        ASSERT_TRUE(undo(next, "", {}));
        break;
      }
      ++injected;
      if (there != now) {
        ASSERT_TRUE(undo(next, "", {})) << "operation " << place;
      }
      EXPECT_EQ(test::read(folder_ / card_), now) << "operation " << place;
    }
    EXPECT_GE(injected, fault == FailingStorage::Fault::full ? 1U : 4U / test::step_of(4));
  }
}

// Whatever fails while keeping, the saves themselves are not touched, and the next keep works.
TEST_F(HostileHistory, AFullDiskWhileKeepingTouchesNoSave) {
  const auto den = test::snapshot(folder_ / "den");
  for (std::size_t place = 1; place < 6; ++place) {
    FailingStorage storage(place, FailingStorage::Fault::error);
    Session session = open(storage);
    (void)keep(session, {{"den"}, {}});
    EXPECT_EQ(test::snapshot(folder_ / "den"), den);
  }
  Session session = open();
  ASSERT_TRUE(keep(session, {{"den"}, {}}));
  EXPECT_TRUE(verify_history(session)->damaged.empty());
}

}  // namespace
}  // namespace bayswap
