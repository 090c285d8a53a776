#include <gtest/gtest.h>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/order.h"
#include "core/bytes/text.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

using test::bytes;
using test::filled;
using test::operator+;

TEST(Cursor, ReadsBothOrdersAndNeverPastTheEnd) {
  const Bytes data = bytes({1, 2, 3, 4, 5, 6, 7, 8});
  Cursor cursor(data);
  EXPECT_EQ(cursor.u8(7), 8);
  EXPECT_EQ(cursor.u16le(0), 0x0201);
  EXPECT_EQ(cursor.u16be(0), 0x0102);
  EXPECT_EQ(cursor.u32le(4), 0x08070605U);
  EXPECT_EQ(cursor.u64be(0), 0x0102030405060708U);
  EXPECT_FALSE(cursor.overrun());
  EXPECT_EQ(cursor.u32be(5), 0U);
  EXPECT_TRUE(cursor.overrun());
  EXPECT_TRUE(Cursor(data).bytes(~0ULL, 2).empty());
}

TEST(Order, ReversesUnitsAndIsItsOwnInverse) {
  Bytes data = bytes({1, 2, 3, 4, 5, 6, 7, 8, 9});
  reverse_units(data, 2);
  EXPECT_EQ(data, bytes({2, 1, 4, 3, 6, 5, 8, 7, 9}));
  reverse_units(data, 2);
  reverse_units(data, 4);
  EXPECT_EQ(data, bytes({4, 3, 2, 1, 8, 7, 6, 5, 9}));
  reverse_units(data, 4);
  reverse_units(data, 8);
  EXPECT_EQ(data, bytes({8, 7, 6, 5, 4, 3, 2, 1, 9}));
  for (const std::size_t unit : {1U, 2U, 4U, 8U}) {
    const Bytes original = test::random_bytes(1000, 3);
    Bytes twice = original;
    reverse_units(twice, unit);
    reverse_units(twice, unit);
    EXPECT_EQ(twice, original);
  }
}

TEST(Fill, KnowsErasedRepeatedAndShrinkable) {
  EXPECT_TRUE(is_erased(filled(100, 0)));
  EXPECT_TRUE(is_erased(filled(1, 0xFF)));
  EXPECT_FALSE(is_erased(filled(10, 0x55)));
  Bytes almost = filled(100, 0xFF);
  almost[99] = std::byte{0xFE};
  EXPECT_FALSE(is_erased(almost));
  const Bytes twice = bytes({1, 2, 3, 4}) + bytes({1, 2, 3, 4});
  EXPECT_TRUE(repeats(twice, 4));
  EXPECT_FALSE(repeats(twice, 3));
  EXPECT_FALSE(repeats(twice, 0));
  EXPECT_TRUE(can_shrink(twice, 4));
  EXPECT_FALSE(can_shrink(bytes({1, 2, 3, 4}), 2));
  EXPECT_TRUE(can_shrink(bytes({1, 2}) + filled(2, 0), 2));
}

TEST(Text, IsSafeForTerminals) {
  EXPECT_EQ(safe_text("plain ü 日本"), "plain ü 日本");
  EXPECT_EQ(safe_text("a\x1b[31mb\n"), "a?[31mb?");
  EXPECT_EQ(safe_text("bad \xff\xc0\x80 utf8"), "bad ??? utf8");
  EXPECT_EQ(safe_text("\xe2\x80\xae turned"), "? turned");
  EXPECT_EQ(safe_text("\xc2\x9b"
                      "1m"),
            "?1m");
  // Marks that turn, hide or annotate: U+061C, U+180E, U+00AD, U+FFF9 to FFFB, tag characters.
  for (const std::string mark : {"\xD8\x9C", "\xE1\xA0\x8E", "\xC2\xAD", "\xEF\xBF\xB9",
                                 "\xEF\xBF\xBB", "\xF3\xA0\x80\x81", "\xF3\xA0\x81\xBF"})
    EXPECT_EQ(safe_text("a" + mark + "b"), "a?b");
  EXPECT_EQ(safe_text("\xEF\xBF\xBC"), "\xEF\xBF\xBC") << "beside them";
  EXPECT_EQ(ascii_text(bytes({' ', 'A', 1, 'B', ' ', ' ', 0, 'C'})), "A?B");
}

TEST(Text, ComparesTitlesAsPeopleDo) {
  EXPECT_EQ(plain_title("Moss & Motor (Europe) [b]"), "moss motor");
  EXPECT_EQ(plain_title("COPPER  TIDE"), plain_title("Copper Tide (America) (Rev 1)"));
  EXPECT_EQ(plain_title("Lighthouse's Ledger"), "lighthouses ledger");
  EXPECT_EQ(size_text(296960), "290 KiB");
  EXPECT_EQ(size_text(8240), "8,240 B");
  EXPECT_EQ(size_text(8ULL << 20U), "8 MiB");
  EXPECT_EQ(list_text({"a", "b", "c"}), "a, b and c");
}

}  // namespace
}  // namespace bayswap
