// General compression around states: streams assembled by hand from the standards, round trips, and
// broken ones.
#include "core/packing/packing.h"

#include <gtest/gtest.h>

#include <set>

#include "support/bytes.h"
#include "support/card_zoo.h"

namespace bayswap {
namespace {

using test::bytes;
using test::operator+;

const Bytes kText = bytes({'s', 't', 'a', 't', 'e'});

// One stored block: last, length 5, its complement, the bytes.
Bytes stored_block() {
  return bytes({0x01, 0x05, 0x00, 0xFA, 0xFF}) + kText;
}
Bytes hand_gzip() {
  return bytes({0x1F, 0x8B, 0x08, 0x00, 0, 0, 0, 0, 0x00, 0xFF}) + stored_block() +
         bytes({0xFB, 0xD2, 0x93, 0xA3, 0x05, 0, 0, 0});  // CRC-32, then the size
}
Bytes hand_zlib() {
  return bytes({0x78, 0x01}) + stored_block() + bytes({0x06, 0x84, 0x02, 0x22});  // Adler-32
}
Bytes hand_zstd() {
  // Single segment, one byte of content size; a last raw block of five bytes.
  return bytes({0x28, 0xB5, 0x2F, 0xFD, 0x20, 0x05, 0x29, 0x00, 0x00}) + kText;
}
Bytes hand_lz4() {
  // Independent blocks, no checks, 64 KiB at most; one block that is not compressed; the end.
  return bytes({0x04, 0x22, 0x4D, 0x18, 0x60, 0x40, 0x82, 0x05, 0x00, 0x00, 0x80}) + kText +
         bytes({0, 0, 0, 0});
}

class Packings : public testing::TestWithParam<Packing> {};

TEST(Packing, StreamsByHandAreUnpacked) {
  for (const auto& [packing, file] :
       {std::pair{Packing::gzip, hand_gzip()}, std::pair{Packing::zlib, hand_zlib()},
        std::pair{Packing::zstd, hand_zstd()}, std::pair{Packing::lz4, hand_lz4()}}) {
    SCOPED_TRACE(to_string(packing));
    // zlib's mark is short, so that only longer streams are taken for it.
    if (packing != Packing::zlib) {
      EXPECT_EQ(packing_of(file), packing);
    }
    const auto unpacked = unpack(file + bytes({1, 2, 3}), packing, 1000, AtLimit::fail, "x");
    ASSERT_TRUE(unpacked) << unpacked.error().text;
    EXPECT_EQ(unpacked->bytes, kText);
    EXPECT_EQ(unpacked->used, file.size()) << "what stands behind is not part of it";
  }
}

TEST_P(Packings, RoundTripIsExact) {
  test::Numbers numbers(7);
  for (int round = 0; round < 20; ++round) {
    Bytes content = test::random_bytes(1 + numbers() % 200'000, static_cast<std::uint32_t>(round));
    for (std::size_t at = 0; at < content.size(); ++at)
      if (at % 3 != 0) content[at] = std::byte{0};
    const auto packed = pack(content, GetParam(), "memory", std::nullopt);
    ASSERT_TRUE(packed);
    if (GetParam() != Packing::plain) {
      EXPECT_EQ(packing_of(*packed), GetParam());
    }
    const auto back = unpack(*packed, GetParam(), kMostUnpacked, AtLimit::fail, "x");
    ASSERT_TRUE(back) << back.error().text;
    EXPECT_EQ(back->bytes, content);
    EXPECT_EQ(back->used, packed->size());
  }
}

// A state that is unpacked and packed again like itself has the same bytes as before.
TEST_P(Packings, LikeItselfGivesItself) {
  Bytes content = test::random_bytes(50'000, 1);
  std::fill(content.begin() + 20'000, content.end(), std::byte{7});
  const auto first = pack(content, GetParam(), "memory", std::nullopt);
  ASSERT_TRUE(first);
  const auto again = pack(content, GetParam(), "other", ByteView(*first));
  ASSERT_TRUE(again);
  EXPECT_EQ(*again, *first);
  Bytes other = content;
  other[30'000] = std::byte{9};
  const auto changed = pack(other, GetParam(), "other", ByteView(*first));
  ASSERT_TRUE(changed);
  EXPECT_EQ(unpack(*changed, GetParam(), kMostUnpacked, AtLimit::fail, "x")->bytes, other);
}

TEST(Packing, KeepsTheHeaderOfTheMould) {
  // A name, a time and a level of somebody's own.
  Bytes mould = hand_gzip();
  mould[3] = std::byte{0x08};
  mould[4] = std::byte{0x11};
  const Bytes name = bytes({'q', 0});
  mould.insert(mould.begin() + 10, name.begin(), name.end());
  const auto packed = pack(test::random_bytes(3000, 1), Packing::gzip, "x", ByteView(mould));
  ASSERT_TRUE(packed);
  EXPECT_EQ((*packed)[3], std::byte{0x08});
  EXPECT_EQ((*packed)[4], std::byte{0x11});
  EXPECT_EQ((*packed)[10], std::byte{'q'});
}

TEST_P(Packings, BrokenStreamsAreNamedAndBounded) {
  if (GetParam() == Packing::plain) return;
  const Bytes content = test::random_bytes(20'000, 3) + test::filled(60'000, 0);
  const Bytes whole = *pack(content, GetParam(), "memory", std::nullopt);
  test::Numbers numbers(11);
  const int wanted = test::rounds(300);
  for (int round = 0; round < wanted; ++round) {
    Bytes broken = whole;
    if (numbers() % 3 == 0) broken.resize(numbers() % broken.size());
    for (unsigned flips = numbers() % 4; flips > 0 && !broken.empty(); --flips)
      broken[numbers() % broken.size()] ^= static_cast<std::byte>(1U << numbers() % 8);
    constexpr std::uint64_t kLimit = 100'000;
    const auto result = unpack(broken, GetParam(), kLimit, AtLimit::fail, "x");
    if (!result) {
      EXPECT_TRUE(result.error().code == Code::damaged || result.error().code == Code::too_large);
      continue;
    }
    EXPECT_LE(result->bytes.size(), kLimit);
  }
}

TEST_P(Packings, MoreThanTheLimitIsRefusedOrCut) {
  if (GetParam() == Packing::plain) return;
  const Bytes bomb = *pack(Bytes(3'000'000), GetParam(), "memory", std::nullopt);
  const auto refused = unpack(bomb, GetParam(), 1'000'000, AtLimit::fail, "x");
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Code::too_large);
  const auto cut = unpack(bomb, GetParam(), 1'000'000, AtLimit::cut, "x");
  ASSERT_TRUE(cut);
  EXPECT_EQ(cut->bytes.size(), 1'000'000U);
  EXPECT_FALSE(cut->whole);
}

INSTANTIATE_TEST_SUITE_P(All, Packings, testing::ValuesIn(all_packings()),
                         [](const auto& info) { return std::string(to_string(info.param)); });

TEST(Packing, AShortMarkAloneIsNoZlib) {
  Bytes save = test::random_bytes(8192, 5);
  test::put(save, 0, bytes({0x78, 0x9C}));
  EXPECT_EQ(packing_of(save), Packing::plain);
}

}  // namespace
}  // namespace bayswap
