// Text as consoles store it.
#include <gtest/gtest.h>

#include "core/bytes/encodings.h"
#include "core/bytes/text.h"
#include "core/model/sony_names.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

TEST(Encodings, ShiftJisBecomesUtf8) {
  EXPECT_EQ(shift_jis_text(test::bytes({0x93, 0xFA, 0x96, 0x7B})), "日本");
  EXPECT_EQ(shift_jis_text(test::bytes({0x82, 0x60, 0x82, 0x81, 0x81, 0x40})), "Ａａ");
  EXPECT_EQ(shift_jis_text(test::bytes({0xB1, 0xB2, 0x41})), "ｱｲA");
  EXPECT_EQ(shift_jis_text(test::bytes({0x41, 0, 0x42})), "A");
  EXPECT_EQ(shift_jis_text({}), "");
  // A letter that is cut in two, and bytes that stand for nothing.
  EXPECT_EQ(shift_jis_text(test::bytes({0x41, 0x93})), "A?");
  EXPECT_EQ(shift_jis_text(test::bytes({0xFD, 0x41})).back(), 'A');
}

TEST(Encodings, LatinBecomesUtf8) {
  EXPECT_EQ(latin_text(test::bytes({0xC9, 0x74, 0xE9})), "Été");
  EXPECT_EQ(latin_text(test::bytes({' ', 'a', ' '})), "a");
}

TEST(Encodings, AnyBytesGiveUtf8OfBoundedLength) {
  for (std::uint32_t seed = 0; seed < 300; ++seed) {
    const Bytes bytes = test::random_bytes(1 + seed, seed);
    for (const std::string& text : {shift_jis_text(bytes), latin_text(bytes)}) {
      EXPECT_LE(text.size(), bytes.size() * 3);
      EXPECT_EQ(safe_text(text).find('\n'), std::string::npos);
    }
  }
}

TEST(SonyNames, AreSplitAndJudged) {
  const auto name = split_sony_name("BASLUS-00123TIDE");
  ASSERT_TRUE(name);
  EXPECT_EQ(name->prefix, "BA");
  EXPECT_EQ(name->serial, "SLUS-00123");
  EXPECT_EQ(name->identifier, "TIDE");
  for (const char* bad :
       {"", "BASLUS", "BASLUS_00123", "XASLUS-00123", "BAslus-00123", "BASLUS-0012A"})
    EXPECT_FALSE(split_sony_name(bad)) << bad;
  EXPECT_EQ(region_of_serial("SCES-50000"), Region::europe);
  EXPECT_EQ(region_of_serial("SLPM-62000"), Region::japan);
  EXPECT_EQ(region_of_serial("SLKA-25000"), Region::korea);
  EXPECT_EQ(region_of_serial("NPUH-10000"), Region::america);
  EXPECT_EQ(region_of_serial("ULAS-42000"), Region::other);
  EXPECT_EQ(region_of_serial("XXXX-00000"), Region::unknown);
  Game game;
  add_sony_game("BEODDNAME", game);
  EXPECT_EQ(game.region, Region::europe);
  EXPECT_TRUE(game.serial.empty());
}

}  // namespace
}  // namespace bayswap
