#include "history/history.h"

#include <gtest/gtest.h>

#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::TempFolder;

class HistoryTest : public testing::Test {
 protected:
  History open() {
    auto history = History::open(disk(), file());
    EXPECT_TRUE(history) << history.error().text;
    return std::move(*history);
  }
  Path file() const { return folder_ / "data/history.db"; }
  TempFolder folder_;
};

MoveRecord move_of(std::int64_t command, const std::string& path, std::optional<Digest> before,
                   std::optional<Digest> after) {
  MoveRecord move;
  move.command = command;
  move.kind = "carry";
  move.title = "Copper Tide";
  move.source_modified_ns = 42;
  Step step;
  step.path = path;
  step.before = {before, 7, 0600};
  step.after = {after, 8, 0644};
  step.folder_times.push_back({"/x", 1, 2});
  move.steps.push_back(step);
  return move;
}

TEST_F(HistoryTest, KeepsContentOnceAndWhole) {
  History history = open();
  for (const std::size_t size : {0U, 1U, 100'000U}) {
    const Bytes content = test::random_bytes(size, static_cast<std::uint32_t>(size));
    const auto first = history.keep(content);
    const auto second = history.keep(content);
    ASSERT_TRUE(first && second);
    EXPECT_EQ(*first, *second);
    EXPECT_EQ(*history.content(*first), content);
  }
  EXPECT_FALSE(history.content(Digest{}));
}

TEST_F(HistoryTest, RemembersMovesAcrossRuns) {
  std::int64_t id = 0;
  {
    History history = open();
    const Digest before = *history.keep(test::filled(3, 1));
    const Digest after = *history.keep(test::filled(3, 2));
    MoveRecord move =
        move_of(*history.begin_command("carry", 5), "/den/\xff odd name", before, after);
    ASSERT_TRUE(history.begin_move(move));
    EXPECT_EQ(history.unfinished()->size(), 1U);
    EXPECT_TRUE(history.last_command()->empty()) << "an unfinished move cannot be undone";
    move.state = MoveState::done;
    ASSERT_TRUE(history.finish_move(move));
    id = move.id;
  }
  History history = open();
  EXPECT_TRUE(history.unfinished()->empty());
  const auto move = history.move(id);
  ASSERT_TRUE(move);
  EXPECT_EQ(move->title, "Copper Tide");
  EXPECT_EQ(move->state, MoveState::done);
  ASSERT_EQ(move->steps.size(), 1U);
  EXPECT_EQ(move->steps[0].path, "/den/\xff odd name") << "paths are bytes";
  EXPECT_EQ(move->steps[0].before.mode, 0600U);
  EXPECT_EQ(move->steps[0].folder_times.at(0).after_ns, 2);
  EXPECT_EQ(history.last_command()->size(), 1U);
  EXPECT_FALSE(history.move(id + 1));
}

TEST_F(HistoryTest, KnowsOlderVersionsUntilTheyAreUndone) {
  History history = open();
  const Digest a = *history.keep(test::filled(3, 1));
  const Digest b = *history.keep(test::filled(3, 2));
  MoveRecord move = move_of(*history.begin_command("carry", 5), "/p", a, b);
  ASSERT_TRUE(history.begin_move(move));
  move.state = MoveState::done;
  ASSERT_TRUE(history.finish_move(move));
  EXPECT_EQ(*history.replaced_at("/p"), std::vector<Digest>{a});
  EXPECT_EQ(*history.progress_time("/p", b), 42);
  EXPECT_FALSE(history.progress_time("/p", a)->has_value()) << "somebody wrote there since";
  MoveRecord back = move_of(*history.begin_command("undo", 6), "/p", b, a);
  back.kind = "undo";
  back.undoes = move.id;
  ASSERT_TRUE(history.begin_move(back));
  back.state = MoveState::done;
  ASSERT_TRUE(history.finish_move(back));
  EXPECT_TRUE(history.replaced_at("/p")->empty());
  EXPECT_EQ(history.move(move.id)->state, MoveState::undone);
  EXPECT_TRUE(history.last_command()->empty());
}

TEST_F(HistoryTest, ReadingMakesNoDatabase) {
  EXPECT_FALSE(History::open_to_read(disk(), file())->has_value());
  EXPECT_FALSE(std::filesystem::exists(file()));
}

TEST_F(HistoryTest, RefusesStrangersAndNewerOnes) {
  folder_.write(
      "data/history.db",
      std::string("this is not a database, just a text that is long enough to be looked at"));
  auto refused = History::open(disk(), file());
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().trouble, Trouble::place);
  EXPECT_FALSE(refused.error().hint.empty());
  std::filesystem::remove(file());
  {
    auto database = Database::open(file(), Database::Mode::write);
    ASSERT_TRUE(database->run("CREATE TABLE mine (x)"));
  }
  EXPECT_FALSE(History::open(disk(), file()));
  std::filesystem::remove(file());
  {
    History history = open();
    ASSERT_TRUE(history.database().run("PRAGMA user_version=99"));
  }
  refused = History::open(disk(), file());
  ASSERT_FALSE(refused);
  EXPECT_NE(refused.error().text.find("newer"), std::string::npos);
}

TEST_F(HistoryTest, NoticesDamagedContent) {
  History history = open();
  const Digest digest = *history.keep(test::random_bytes(1000, 1));
  ASSERT_TRUE(history.database().run("UPDATE content SET packed = zeroblob(40)"));
  EXPECT_FALSE(history.content(digest));
  ASSERT_TRUE(history.database().run("UPDATE content SET size = 1 << 60"));
  EXPECT_FALSE(history.content(digest)) << "an impossible size is not allocated";
}

TEST_F(HistoryTest, ADamagedOneIsSetAside) {
  { (void)open(); }
  Bytes damaged = test::read(file());
  test::put(damaged, 0, test::random_bytes(100, 7));
  folder_.write("data/history.db", damaged);
  const auto refused = History::open(disk(), file());
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().trouble, Trouble::place);
  EXPECT_NE(refused.error().text.find("set aside"), std::string::npos) << refused.error().text;
  EXPECT_EQ(test::read(file().string() + ".damaged"), damaged) << "never deleted";
  { (void)open(); }
  // A second one does not take the first one's name.
  folder_.write("data/history.db", damaged);
  EXPECT_FALSE(History::open(disk(), file()));
  EXPECT_EQ(test::read(file().string() + ".damaged"), damaged);
  EXPECT_EQ(test::read(file().string() + ".damaged-2"), damaged);
}

TEST(MoveNames, GoBothWays) {
  EXPECT_EQ(parse_move_name(move_name(12)), 12);
  for (const std::string_view name :
       {"", "m", "m0", "m-1", "m1x", "12", "M1", "m99999999999999999999"})
    EXPECT_FALSE(parse_move_name(name)) << name;
}

}  // namespace
}  // namespace bayswap
