// Large versions in pieces that they share, and histories of the first schema brought forward.
#include <gtest/gtest.h>
#include <sqlite3.h>
#include <zstd.h>

#include <algorithm>
#include <random>

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
    EXPECT_EQ(*digest, version_digest(content));
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
    const ContentDigests next = digests_of(card, older, digests_of(older));
    EXPECT_EQ(next.whole, version_digest(card));
    ASSERT_TRUE(history.keep_as(next, card, digests_of(older)));
    EXPECT_EQ(*history.content(next.whole), card);
    EXPECT_EQ(*history.content(digest), older);
    digest = next.whole;
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
  const Digest old_digest = sha256(content);
  const Digest digest = version_digest(content);
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open((folder_ / "history.db").c_str(), &database), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(
                database,
                "CREATE TABLE content (digest BLOB PRIMARY KEY, size INTEGER NOT NULL, packed BLOB "
                "NOT NULL) WITHOUT ROWID; CREATE TABLE step (before BLOB, after BLOB); "
                "PRAGMA application_id=1112758096; PRAGMA user_version=1",
                nullptr, nullptr, nullptr),
            SQLITE_OK);
  Bytes packed(ZSTD_compressBound(content.size()));
  packed.resize(ZSTD_compress(packed.data(), packed.size(), content.data(), content.size(), 3));
  sqlite3_stmt* insert = nullptr;
  ASSERT_EQ(
      sqlite3_prepare_v2(database, "INSERT INTO content VALUES (?, ?, ?)", -1, &insert, nullptr),
      SQLITE_OK);
  sqlite3_bind_blob(insert, 1, old_digest.data(), static_cast<int>(old_digest.size()),
                    SQLITE_STATIC);
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
  ASSERT_TRUE(history.keep(next));
  EXPECT_EQ(*history.content(version_digest(next)), next);
}

// Before the third schema, large contents went by their plain SHA-256.
TEST_F(Pieces, LargeContentsOfTheSecondSchemaAreFoundByTheirPieces) {
  const Bytes large = test::random_bytes(400'000, 3);
  const Bytes small = test::random_bytes(400, 4);
  MoveRecord move;
  {
    History history = open();
    ASSERT_TRUE(history.keep(large));
    ASSERT_TRUE(history.keep(small));
    move.kind = "carry";
    move.command = *history.begin_command("carry", 1);
    Step step;
    step.path = "/there";
    step.before.digest = version_digest(small);
    step.after.digest = version_digest(large);
    move.steps.push_back(step);
    move.state = MoveState::done;
    ASSERT_TRUE(history.begin_move(move));
    Statement content = history.database().prepare("UPDATE content SET digest = ? WHERE size = ?");
    ASSERT_TRUE(content.bind(ByteView(sha256(large))).bind(std::int64_t{400'000}).run());
    Statement steps = history.database().prepare("UPDATE step SET after = ?");
    ASSERT_TRUE(steps.bind(ByteView(sha256(large))).run());
    ASSERT_TRUE(history.database().run("PRAGMA user_version=2"));
  }
  EXPECT_FALSE(*History::open_to_read(disk(), folder_ / "history.db")) << "read only once updated";
  History history = open();
  EXPECT_EQ(*history.content(version_digest(large)), large);
  EXPECT_EQ(*history.content(version_digest(small)), small);
  const auto back = history.move(move.id);
  ASSERT_TRUE(back);
  EXPECT_EQ(back->steps.front().after.digest, version_digest(large));
  EXPECT_EQ(back->steps.front().before.digest, version_digest(small));
  EXPECT_TRUE(*History::open_to_read(disk(), folder_ / "history.db"));
}

TEST(VersionDigest, IsTheSameInOnePieceAndInMany) {
  std::mt19937 random(5);
  for (const std::size_t size :
       {0U, 1U, 65'536U, 65'537U, 528U * 128U, 528U * 300U, 700'000U, 1U << 20U}) {
    const Bytes content = test::random_bytes(size, static_cast<std::uint32_t>(size));
    VersionHasher hasher(size);
    for (std::size_t at = 0; at < size;) {
      const std::size_t length = std::min<std::size_t>(random() % 90'000 + 1, size - at);
      hasher.add(ByteView(content).subspan(at, length));
      at += length;
    }
    EXPECT_EQ(hasher.finish(), version_digest(content)) << size;
    if (size == 0) continue;
    Bytes other = content;
    other[size - 1] ^= std::byte{4};
    EXPECT_NE(version_digest(other), version_digest(content)) << size;
    EXPECT_EQ(digests_of(other, content, digests_of(content)).whole, version_digest(other)) << size;
  }
}

// The same numbers by hand: SHA-256 over the size as eight bytes, and over each piece.
TEST(VersionDigest, OfALargeContentIsMadeOfItsPieces) {
  const Bytes content = test::random_bytes(0x8000 * 2 + 100, 8);
  Bytes whole = test::bytes({0x64, 0x00, 0x01, 0, 0, 0, 0, 0});
  for (const auto& [from, length] : {std::pair{0, 0x8000}, {0x8000, 0x8000}, {0x10000, 100}}) {
    const Digest piece = sha256(ByteView(content).subspan(static_cast<std::size_t>(from),
                                                          static_cast<std::size_t>(length)));
    whole.insert(whole.end(), piece.begin(), piece.end());
  }
  EXPECT_EQ(version_digest(content), sha256(whole));
}

}  // namespace
}  // namespace bayswap
