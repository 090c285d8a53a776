// Statements that are used again, and a file that is written behind.
#include <gtest/gtest.h>

#include "history/sqlite.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap {
namespace {

class Statements : public testing::Test {
 protected:
  Statements() : database_(*Database::open(file_, Database::Mode::write)) {
    EXPECT_TRUE(database_.run("CREATE TABLE word (number INTEGER UNIQUE, text TEXT)"));
  }

  Result<void> insert(std::int64_t number, std::string_view text) {
    return database_.prepare("INSERT INTO word VALUES (?, ?)").bind(number).bind(text).run();
  }

  test::TempFolder folder_;
  Path file_ = folder_ / "words.db";
  Database database_;
};

TEST_F(Statements, OfOneTextAreUsedAtTheSameTime) {
  for (std::int64_t i = 0; i < 5; ++i) ASSERT_TRUE(insert(i, "x"));
  const char* const all = "SELECT number FROM word ORDER BY number";
  int pairs = 0;
  Statement outer = database_.prepare(all);
  while (outer.step()) {
    Statement inner = database_.prepare(all);
    while (inner.step()) ++pairs;
    EXPECT_FALSE(inner.failed());
  }
  EXPECT_EQ(pairs, 25);
}

TEST_F(Statements, KeepNothingOfTheirLastUse) {
  ASSERT_TRUE(insert(1, "one"));
  {
    Statement half = database_.prepare("SELECT ?, ? FROM word");
    half.bind(std::int64_t{7}).bind("seven");
    ASSERT_TRUE(half.step());
  }
  Statement again = database_.prepare("SELECT ?, ? FROM word");
  ASSERT_TRUE(again.step());
  EXPECT_TRUE(again.is_null(0));
  EXPECT_TRUE(again.is_null(1));
}

TEST_F(Statements, FailOnceAndThenWork) {
  ASSERT_TRUE(insert(1, "one"));
  EXPECT_FALSE(insert(1, "one again"));
  EXPECT_TRUE(insert(2, "two"));
  EXPECT_TRUE(database_.prepare("SELECT nonsense FROM nowhere").failed());
  EXPECT_TRUE(database_.prepare("SELECT nonsense FROM nowhere").failed());
}

// Only so many wait to be used again, and those that are left behind hold no lock.
TEST_F(Statements, OfManyTextsHoldNoLock) {
  for (int i = 0; i < 200; ++i) {
    Statement one = database_.prepare("SELECT " + std::to_string(i));
    ASSERT_TRUE(one.step());
    EXPECT_EQ(one.integer(0), i);
  }
  {
    Statement left = database_.prepare("SELECT count(*) FROM word");
    ASSERT_TRUE(left.step());
  }
  const auto other = Database::open(file_, Database::Mode::write);
  ASSERT_TRUE(other);
  EXPECT_TRUE(other->run("INSERT INTO word VALUES (9, 'nine')"));
}

TEST_F(Statements, OutliveTheirDatabase) {
  std::optional<Statement> last;
  {
    const auto other = Database::open(file_, Database::Mode::write);
    ASSERT_TRUE(other);
    last = other->prepare("SELECT 42");
  }
  ASSERT_TRUE(last->step());
  EXPECT_EQ(last->integer(0), 42);
}

}  // namespace
}  // namespace bayswap
