// Versions of saves: listed, brought back, kept on request, let go, checked and taken out.
#include "bayswap/versions.h"

#include <gtest/gtest.h>
#include <sqlite3.h>

#include <algorithm>

#include "bayswap/card_file.h"
#include "core/bytes/hash.h"
#include "support/card_zoo.h"
#include "support/world.h"

namespace bayswap {
namespace {

class Versions : public test::WorldTest {
 protected:
  SaveHistory history_of(const std::string& save, bool hashes = false) {
    Session session = open();
    const auto saves = list_history(session, {save, hashes, true});
    EXPECT_TRUE(saves) << saves.error().text;
    EXPECT_EQ(saves->size(), 1U) << save;
    return saves && !saves->empty() ? saves->front() : SaveHistory{};
  }
  KeepReport keep_it(const std::string& place, const std::string& reason = {}) {
    Session session = open();
    const auto report = keep(session, {{place}, reason});
    EXPECT_TRUE(report) << report.error().text;
    return report ? *report : KeepReport{};
  }
  Result<CarryReport> restore_it(const std::string& save, const std::string& version,
                                 bool plan = false) {
    Session session = open();
    return restore(session, {save, version, plan});
  }
  static void age(const Path& file, int days) {
    std::filesystem::last_write_time(
        file, std::filesystem::file_time_type::clock::now() - std::chrono::hours(24 * days));
  }
  // Moves everything in history into the past.
  void age_history(int days) {
    sqlite3* database = nullptr;
    const Path file = demo::places(folder_.path()).data / "history.db";
    ASSERT_EQ(sqlite3_open(file.c_str(), &database), SQLITE_OK);
    const std::string sql = "UPDATE move SET time_ns = time_ns - " +
                            std::to_string(std::int64_t{days} * 86'400'000'000'000);
    EXPECT_EQ(sqlite3_exec(database, sql.c_str(), nullptr, nullptr, nullptr), SQLITE_OK);
    sqlite3_close(database);
  }
};

TEST_F(Versions, ACarryLeavesWhatWasThereAndWhatCame) {
  const std::string there = at("den/saves/Copper Tide (America).srm");
  const Bytes before = test::read(there);
  const auto report = carry_one(at("reader/Copper Tide (America).sra"), "den", {Code::newer_there});
  ASSERT_EQ(stop_code(report), "");
  const Bytes after = test::read(there);
  const SaveHistory save = history_of(there, true);
  EXPECT_EQ(save.bay, "den");
  EXPECT_EQ(save.title, "Copper Tide");
  ASSERT_EQ(save.versions.size(), 2U);
  EXPECT_EQ(save.versions[0].sha256, sha256_hex(before));
  EXPECT_EQ(save.versions[1].sha256, sha256_hex(after));
  EXPECT_FALSE(save.versions[0].there_now);
  EXPECT_TRUE(save.versions[1].there_now);
  EXPECT_NE(save.versions[1].change.find("bytes differ"), std::string::npos)
      << save.versions[1].change;
  EXPECT_NE(save.versions[1].reason.find("carry"), std::string::npos);

  // A plan writes nothing; the real one brings bytes, time and mode back, and undo takes that back.
  const auto files = test::snapshot(folder_ / "den");
  ASSERT_TRUE(restore_it(there, save.versions[0].id, true));
  EXPECT_EQ(test::snapshot(folder_ / "den"), files);
  const auto back = restore_it("den:Copper Tide", save.versions[0].id);
  ASSERT_TRUE(back) << back.error().text;
  EXPECT_EQ(back->moves.front().status, MoveStatus::done);
  EXPECT_EQ(test::read(there), before);
  EXPECT_TRUE(history_of(there).versions.back().there_now);
  Session session = open();
  ASSERT_TRUE(undo(session, "", {}));
  EXPECT_EQ(test::snapshot(folder_ / "den"), files);
  const auto again = restore_it(there, save.versions[1].id);
  ASSERT_TRUE(again);
  EXPECT_TRUE(again->moves.front().nothing_to_do);
}

TEST_F(Versions, WhatAGameWroteSinceIsNotLostByARestore) {
  const std::string there = at("den/saves/Copper Tide (America).srm");
  keep_it(there);
  const std::string first = history_of(there).versions.front().id;
  Bytes played = test::read(there);
  played[0x20900] ^= std::byte{0x55};
  folder_.write("den/saves/Copper Tide (America).srm", played);
  ASSERT_TRUE(restore_it(there, first));
  const SaveHistory save = history_of(there, true);
  ASSERT_EQ(save.versions.size(), 3U);
  EXPECT_EQ(save.versions[1].sha256, sha256_hex(played));
  ASSERT_TRUE(restore_it(there, save.versions[1].id));
  EXPECT_EQ(test::read(there), played);
}

TEST_F(Versions, KeepTakesAWholeBayAndOnlyWhatChangedNextTime) {
  const KeepReport first = keep_it("den", "before the update");
  EXPECT_GE(first.kept.size(), 6U);
  EXPECT_EQ(first.unchanged, 0U);
  for (const KeptSave& save : first.kept) {
    EXPECT_EQ(save.path.string().find("roms/"), std::string::npos) << "ROMs are left out";
    EXPECT_NE(history_of(save.path.string()).versions.front().reason.find("before the update"),
              std::string::npos);
  }
  const KeepReport second = keep_it("den");
  EXPECT_TRUE(second.kept.empty());
  EXPECT_EQ(second.unchanged, first.kept.size());
  // A change that leaves size and time alone right after a look is still seen.
  const Path changed = folder_ / "den/saves/Tin Orchard (Europe).srm";
  const auto time = std::filesystem::last_write_time(changed);
  Bytes bytes = test::read(changed);
  bytes[9] ^= std::byte{1};
  folder_.write("den/saves/Tin Orchard (Europe).srm", bytes);
  std::filesystem::last_write_time(changed, time);
  if (std::filesystem::file_time_type::clock::now() - time < std::chrono::seconds(1)) {
    const KeepReport third = keep_it("den");
    ASSERT_EQ(third.kept.size(), 1U);
    EXPECT_EQ(third.kept[0].path, std::filesystem::canonical(changed));
  }
  // Undo has nothing to do with what was only kept.
  Session session = open();
  const auto undone = undo(session, "", {});
  ASSERT_FALSE(undone);
  EXPECT_EQ(undone.error().code, Code::no_match);
}

TEST_F(Versions, CardsTellWhichSavesChanged) {
  const std::string card = at("den/cards/velvet.card");
  keep_it(card);
  Session session = open();
  DropRequest drop;
  drop.card = card;
  drop.names = {"#1"};
  ASSERT_TRUE(drop_saves(session, drop));
  const SaveHistory save = history_of(card);
  ASSERT_EQ(save.versions.size(), 2U);
  EXPECT_NE(save.versions[1].change.find("removed"), std::string::npos) << save.versions[1].change;
}

TEST_F(Versions, AFolderComesBackAsAWhole) {
  std::filesystem::rename(folder_ / "cabinet/desk", folder_ / "desk");
  learn("desk");
  keep_it("desk");
  const Path folder = folder_ / "desk/wiiu/00050000/10100a00/user/80000001";
  const auto before = test::snapshot(folder);
  const std::string first = history_of(folder.string()).versions.front().id;
  folder_.write("desk/wiiu/00050000/10100a00/user/80000001/profile.dat", std::string("new"));
  keep_it("desk");
  const SaveHistory save = history_of(folder.string());
  ASSERT_EQ(save.versions.size(), 2U);
  EXPECT_EQ(save.versions[1].change, "changed profile.dat");
  ASSERT_TRUE(restore_it(folder.string(), first));
  auto after = test::snapshot(folder);
  EXPECT_EQ(after["profile.dat"], before.at("profile.dat"));
}

TEST_F(Versions, TidyKeepsTheYoungTheLastAndTheOnly) {
  const std::string there = at("den/saves/Tin Orchard (Europe).srm");
  Bytes bytes = test::read(there);
  for (unsigned round = 0; round < 10; ++round) {
    bytes[round] ^= std::byte{0x11};
    folder_.write("den/saves/Tin Orchard (Europe).srm", bytes);
    keep_it(there);
  }
  const std::string lonely = at("den/saves/Lantern Drift (Japan).srm");
  keep_it(lonely);
  Session session = open();
  EXPECT_EQ(tidy_history(session, {30, 3}, false)->versions, 0U) << "all are young";
  age_history(31);
  EXPECT_EQ(tidy_history(session, {30, 32}, false)->versions, 0U) << "fewer than thirty-two";
  EXPECT_EQ(tidy_history(session, {30, 3}, true)->versions, 7U);
  EXPECT_EQ(tidy_history(session, {30, 3}, true)->versions, 7U) << "a plan lets nothing go";
  const auto tidied = tidy_history(session, {30, 3}, false);
  ASSERT_TRUE(tidied);
  EXPECT_EQ(tidied->versions, 7U);
  const SaveHistory save = history_of(there);
  ASSERT_EQ(save.versions.size(), 10U);
  for (std::size_t i = 0; i < 10; ++i) EXPECT_EQ(save.versions[i].whole, i >= 7) << i;
  EXPECT_FALSE(restore_it(there, save.versions[0].id));
  EXPECT_TRUE(restore_it(there, save.versions[7].id));
  EXPECT_TRUE(history_of(lonely).versions.front().whole) << "the only one stays";
  EXPECT_TRUE(verify_history(session)->damaged.empty());
}

TEST_F(Versions, VerifyFindsEveryDamagedByteAndExportGivesTheRest) {
  const std::string small = at("den/saves/Tin Orchard (Europe).srm");
  const std::string large = at("den/cards/velvet.card");
  keep_it(small);
  keep_it(large);
  Session session = open();
  const auto sound = verify_history(session);
  ASSERT_TRUE(sound);
  EXPECT_EQ(sound->contents, 2U);
  EXPECT_GT(sound->pieces, 10U);
  EXPECT_TRUE(sound->damaged.empty());
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open(session.history_file().c_str(), &database), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(database,
                         "UPDATE piece SET packed = (SELECT packed FROM piece WHERE id = 2) WHERE "
                         "id = 1",
                         nullptr, nullptr, nullptr),
            SQLITE_OK);
  sqlite3_close(database);
  const auto checked = verify_history(session);
  ASSERT_TRUE(checked);
  ASSERT_EQ(checked->damaged.size(), 1U);
  EXPECT_NE(checked->damaged[0].text.find("velvet.card"), std::string::npos);
  const std::string version = history_of(large).versions[0].id;
  std::filesystem::remove(large);
  EXPECT_FALSE(restore_it(large, version));
  const auto files = export_history(session, "", folder_ / "out");
  ASSERT_TRUE(files);
  ASSERT_EQ(files->size(), 1U);
  EXPECT_EQ(test::read(files->front()), test::read(small));
  const auto again = export_history(session, "", folder_ / "out");
  ASSERT_FALSE(again);
  EXPECT_EQ(again.error().code, Code::name_taken);
}

TEST_F(Versions, AreFoundByPathTitleAndBayOrNotAtAll) {
  keep_it("den");
  Session session = open();
  for (const std::string text : {"Tin Orchard", "tin orchard", "den:Tin", "Tin Orchard (Europe)"})
    EXPECT_EQ(history_of(text).path.filename(), "Tin Orchard (Europe).srm") << text;
  const auto none = list_history(session, {"Nowhere Game", false, true});
  ASSERT_FALSE(none);
  EXPECT_EQ(none.error().code, Code::no_match);
  EXPECT_GT(list_history(session, {})->size(), 5U);
  const auto wrong = restore_it("Tin Orchard", "v999999");
  ASSERT_FALSE(wrong);
  EXPECT_NE(wrong.error().hint.text().find("v"), std::string::npos);
  const auto missing = keep(session, {{"no such place"}, {}});
  ASSERT_FALSE(missing);
  EXPECT_EQ(missing.error().code, Code::missing);
}

// Random plays, keeps and restores of one save against a list in memory.
TEST_F(Versions, ASoakAgreesWithAModel) {
  const std::string there = at("den/saves/Lantern Drift (Japan).srm");
  test::Numbers numbers(11);
  std::vector<Bytes> seen{test::read(there)};
  keep_it(there);
  const int wanted = test::rounds(40);
  for (int round = 0; round < wanted; ++round) {
    const std::uint32_t what = numbers() % 3;
    if (what == 0) {
      Bytes bytes = test::read(there);
      bytes[numbers() % bytes.size()] ^= std::byte{1};
      folder_.write("den/saves/Lantern Drift (Japan).srm", bytes);
    } else if (what == 1) {
      keep_it(there);
    } else {
      const SaveHistory save = history_of(there, true);
      const Version& chosen = save.versions[numbers() % save.versions.size()];
      ASSERT_TRUE(restore_it(there, chosen.id));
      EXPECT_EQ(sha256_hex(test::read(there)), chosen.sha256);
    }
    const Bytes now = test::read(there);
    if (what != 0) seen.push_back(now);
  }
  const SaveHistory save = history_of(there, true);
  for (const Bytes& content : seen)
    EXPECT_TRUE(std::ranges::any_of(save.versions, [&](const Version& version) {
      return version.sha256 == sha256_hex(content) && version.whole;
    })) << "everything that history saw can be brought back";
}

}  // namespace
}  // namespace bayswap
