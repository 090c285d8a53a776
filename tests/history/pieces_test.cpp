// Large versions in pieces that they share, and histories of the first schema brought forward.
#include <gtest/gtest.h>
#include <sqlite3.h>
#include <zstd.h>

#include "history/history.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap {
namespace {

class Pieces : public testing::Test {
 protected:
  History open() {
    auto history = History::open(disk(), folder_ / "history.db");
    EXPECT_TRUE(history) << history.error().text;
    return std::move(*history);
  }
  std::uint64_t size() const { return std::filesystem::file_size(folder_ / "history.db"); }

  test::TempFolder folder_;
};

TEST_F(Pieces, GiveBackEveryContent) {
  History history = open();
  for (const std::size_t size : {0U, 1U, 65'535U, 65'536U, 65'537U, 98'304U, 131'072U, 528U * 4096U,
                                 528U * 200U, 1'000'001U}) {
    const Bytes content = test::random_bytes(size, static_cast<std::uint32_t>(size));
    const auto digest = history.keep(content);
    ASSERT_TRUE(digest);
    EXPECT_EQ(*digest, sha256(content));
    const auto back = history.content(*digest);
    ASSERT_TRUE(back) << size << ": " << back.error().text;
    EXPECT_EQ(*back, content);
    EXPECT_EQ(*history.keep(content), *digest) << "kept once";
  }
}

TEST_F(Pieces, AreSharedByVersions) {
  Bytes card = test::random_bytes(4U << 20U, 1);
  Digest digest{};
  {
    History history = open();
    digest = *history.keep(card);
  }
  const std::uint64_t first = size();
  for (std::uint32_t version = 0; version < 20; ++version) {
    History history = open();
    const Bytes older = card;
    test::put(card, version * 150'000, test::random_bytes(8192, version + 2));
    const auto next = history.keep_like(card, older, digest);
    ASSERT_TRUE(next);
    EXPECT_EQ(*history.content(*next), card);
    EXPECT_EQ(*history.content(digest), older);
    digest = *next;
  }
  EXPECT_LT(size() - first, 20U * 3U * 33'000U) << "each version costs the pieces that changed";
}

TEST_F(Pieces, ADamagedPieceIsNeverGivenBack) {
  Digest digest{};
  {
    History history = open();
    digest = *history.keep(test::random_bytes(200'000, 7));
  }
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open((folder_ / "history.db").c_str(), &database), SQLITE_OK);
  ASSERT_EQ(
      sqlite3_exec(database,
                   "UPDATE piece SET packed = (SELECT packed FROM piece WHERE id = 2) WHERE id = 1",
                   nullptr, nullptr, nullptr),
      SQLITE_OK);
  sqlite3_close(database);
  History history = open();
  EXPECT_FALSE(history.content(digest));
}

TEST_F(Pieces, AnOlderHistoryIsBroughtForward) {
  const Bytes content = test::random_bytes(300'000, 9);
  const Digest digest = sha256(content);
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open((folder_ / "history.db").c_str(), &database), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(
                database,
                "CREATE TABLE content (digest BLOB PRIMARY KEY, size INTEGER NOT NULL, packed BLOB "
                "NOT NULL) WITHOUT ROWID; PRAGMA application_id=1112758096; PRAGMA user_version=1",
                nullptr, nullptr, nullptr),
            SQLITE_OK);
  Bytes packed(ZSTD_compressBound(content.size()));
  packed.resize(ZSTD_compress(packed.data(), packed.size(), content.data(), content.size(), 3));
  sqlite3_stmt* insert = nullptr;
  ASSERT_EQ(
      sqlite3_prepare_v2(database, "INSERT INTO content VALUES (?, ?, ?)", -1, &insert, nullptr),
      SQLITE_OK);
  sqlite3_bind_blob(insert, 1, digest.data(), static_cast<int>(digest.size()), SQLITE_STATIC);
  sqlite3_bind_int64(insert, 2, static_cast<sqlite3_int64>(content.size()));
  sqlite3_bind_blob(insert, 3, packed.data(), static_cast<int>(packed.size()), SQLITE_STATIC);
  ASSERT_EQ(sqlite3_step(insert), SQLITE_DONE);
  sqlite3_finalize(insert);
  sqlite3_close(database);
  History history = open();
  const auto back = history.content(digest);
  ASSERT_TRUE(back) << back.error().text;
  EXPECT_EQ(*back, content);
  Bytes next = content;
  next[5] ^= std::byte{1};
  const auto kept = history.keep_like(next, content, digest);
  ASSERT_TRUE(kept);
  EXPECT_EQ(*history.content(*kept), next);
}

}  // namespace
}  // namespace bayswap
