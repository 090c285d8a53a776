// Contents packed without the database, ahead of time: they go into history as if it had packed
// them itself, and come out again.
#include "history/packed_content.h"

#include <gtest/gtest.h>
#include <zstd.h>

#include "history/history.h"
#include "history/pack_ahead.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::operator+;

// Some of it repeats, some is noise, some is erased, as in saves.
Bytes mixed_bytes(test::Numbers& numbers, std::size_t size) {
  Bytes bytes(size, std::byte{0xFF});
  for (std::size_t at = 0; at < size;) {
    const std::size_t length = std::min<std::size_t>(size - at, 1 + numbers() % 50'000);
    const auto kind = numbers() % 3;
    const auto value = static_cast<std::byte>(numbers() & 0xFFU);
    for (std::size_t i = at; i < at + length && kind != 0; ++i)
      bytes[i] = kind == 1 ? value : static_cast<std::byte>(numbers() & 0xFFU);
    at += length;
  }
  return bytes;
}

Bytes unpacked(const Bytes& packed, std::size_t size) {
  Bytes bytes(size);
  EXPECT_EQ(ZSTD_decompress(bytes.data(), bytes.size(), packed.data(), packed.size()), size);
  return bytes;
}

TEST(PackedContent, HoldsTheBytesInZstdFrames) {
  test::Numbers numbers(8);
  for (const std::size_t size :
       {0U, 1U, 512U, 65'536U, 65'537U, 200'000U, 528U * 300U, 1'000'000U}) {
    const Bytes content = mixed_bytes(numbers, size);
    const auto packed = pack_content(content);
    ASSERT_TRUE(packed);
    EXPECT_EQ(packed->size, size);
    EXPECT_EQ(packed->digests.whole, version_digest(content));
    if (size <= kWholeContent) {
      EXPECT_TRUE(packed->pieces.empty());
      EXPECT_EQ(unpacked(packed->whole, size), content);
      continue;
    }
    EXPECT_TRUE(packed->whole.empty());
    Bytes joined;
    for (const PackedPiece& piece : packed->pieces) {
      const Bytes bytes = unpacked(piece.packed, static_cast<std::size_t>(piece.size));
      joined.insert(joined.end(), bytes.begin(), bytes.end());
    }
    EXPECT_EQ(joined, content) << size;
    EXPECT_EQ(packed->pieces.size(), packed->digests.pieces.size());
  }
}

TEST(PackedContent, WhatRepeatsGetsSmallAndNoiseDoesNotGrow) {
  const Bytes noise = test::random_bytes(32'768, 4);
  EXPECT_LT(pack_piece(noise)->packed.size(), noise.size() + 64);
  const Bytes erased = test::filled(32'768, 0xFF);
  EXPECT_LT(pack_piece(erased)->packed.size(), 64U);
  Bytes text = test::filled(32'768, ' ');
  for (std::size_t at = 0; at + 40 < text.size(); at += 40)
    test::put(text, at, std::string_view("Northern Relay, lap 3 of 12"));
  EXPECT_LT(pack_piece(text)->packed.size(), text.size() / 20);
}

TEST(PackedContent, GoesIntoHistoryLikeAnyOther) {
  const test::TempFolder folder;
  auto history = History::open(disk(), folder / "history.db");
  ASSERT_TRUE(history);
  test::Numbers numbers(9);
  std::vector<Bytes> contents;
  for (int round = 0; round < 30; ++round) {
    // Some are kept before, some have pieces in common with others, some are a piece twice.
    Bytes content = mixed_bytes(numbers, numbers() % 400'000);
    if (round % 3 == 1)
      content.insert(content.end(), contents.back().begin(), contents.back().end());
    if (round % 5 == 4) content = test::filled(32'768, 9) + test::filled(32'768, 9) + content;
    if (round % 7 == 6) {
      ASSERT_TRUE(history->keep(content));
    }
    auto packed = pack_content(content);
    ASSERT_TRUE(packed);
    const auto kept = history->keep(std::move(*packed));
    ASSERT_TRUE(kept) << kept.error().text;
    EXPECT_EQ(*kept, version_digest(content));
    EXPECT_EQ(*history->keep(content), *kept);
    contents.push_back(std::move(content));
  }
  for (const Bytes& content : contents) {
    const auto back = history->content(version_digest(content));
    ASSERT_TRUE(back) << back.error().text;
    EXPECT_EQ(*back, content);
  }
}

class PackAheadOf : public testing::Test {
 protected:
  void add(const std::string& name, const Bytes& content) {
    const Path path = folder_.write(name, content);
    files_.push_back({path, *disk().info(path)});
  }
  test::TempFolder folder_;
  std::vector<PackAhead::File> files_;
};

TEST_F(PackAheadOf, GivesFilesInTheirOrder) {
  std::vector<Bytes> contents;
  // More than may wait at once.
  for (std::uint32_t i = 0; i < 60; ++i) {
    contents.push_back(test::random_bytes(i % 7 == 0 ? 1'000'000 : 700 * i, i + 1));
    add("save " + std::to_string(i), contents.back());
  }
  PackAhead ahead(disk(), files_);
  for (const Bytes& content : contents) {
    const auto packed = ahead.next();
    ASSERT_TRUE(packed);
    EXPECT_EQ(packed->digests.whole, version_digest(content));
  }
}

TEST_F(PackAheadOf, AFileThatCannotBeReadIsAnErrorOfItsOwn) {
  add("one", test::random_bytes(10, 1));
  add("gone", test::random_bytes(10, 2));
  add("grown", test::random_bytes(10, 3));
  add("last", test::random_bytes(10, 4));
  std::filesystem::remove(folder_ / "gone");
  folder_.write("grown", test::random_bytes(5000, 3));
  PackAhead ahead(disk(), files_);
  EXPECT_TRUE(ahead.next());
  EXPECT_EQ(ahead.next().error().code, Code::missing);
  EXPECT_EQ(ahead.next().error().code, Code::in_use);
  EXPECT_TRUE(ahead.next());
}

TEST_F(PackAheadOf, EndsEarlyWhenNobodyAsksAnyMore) {
  for (std::uint32_t i = 0; i < 40; ++i)
    add("save " + std::to_string(i), test::random_bytes(1'000'000, i + 1));
  {
    PackAhead ahead(disk(), files_);
    EXPECT_TRUE(ahead.next());
  }
  { const PackAhead never(disk(), files_); }
  { const PackAhead nothing(disk(), {}); }
}

}  // namespace
}  // namespace bayswap
