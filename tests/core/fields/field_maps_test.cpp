// Field maps by example: expected bytes are written out here, from docs/field-maps.md.
#include <fmt/core.h>
#include <gtest/gtest.h>

#include "core/bytes/text.h"
#include "core/fields/field_view.h"
#include "core/fields/sums.h"
#include "core/fields/value_text.h"
#include "support/bytes.h"

namespace bayswap::fields {
namespace {

const std::string kHead = "bayswap = \"field map\"\nversion = 1\n[fits]\nsystem = \"gb\"\n";

FieldView view_of(const std::string& text, const Bytes& bytes) {
  const auto map = read_map(kHead + text, "m.toml");
  EXPECT_TRUE(map) << map.error().text;
  auto view = FieldView::open(*map, bytes);
  EXPECT_TRUE(view) << view.error().text;
  return std::move(*view);
}

std::string shown(FieldView& view, const std::string& path) {
  const auto at = view.find(path);
  if (!at) return "error: " + at.error().text;
  const auto text = text_of(view, at->front());
  return text ? *text : "error: " + text.error().text;
}

std::string set(FieldView& view, const std::string& path, const std::string& value) {
  const auto at = view.find(path);
  if (!at) return at.error().text;
  const auto put = put_text(view, at->front(), value);
  return put ? "" : put.error().text;
}

TEST(FieldMaps, ReadNumbersOfEachKind) {
  FieldView view = view_of(R"(
[enum.weather]
0 = "clear"
3 = "thick fog"
[[field]]
name = "gold"
at = 0
type = "u24"
order = "big"
unit = "coins"
[[field]]
name = "depth"
at = 3
type = "i16"
divide = 16
[[field]]
name = "hour"
at = 5
type = "u5"
bit = 3
[[field]]
name = "weather"
at = 5
type = "u3"
enum = "weather"
[[field]]
name = "score"
at = 6
type = "bcd6"
order = "big"
[[field]]
name = "marks"
at = 9
type = "u8"
flags = { 0 = "met", 6 = "keys" }
[[field]]
name = "played"
at = 10
type = "u16"
span = { per_second = 10 }
[[field]]
name = "saved"
at = 12
type = "u16"
time = { since = "2000-01-01", unit = "days" }
)",
                           test::bytes({0x01, 0x02, 0x03, 0xE8, 0xFF, 0xBB, 0x12, 0x34, 0x56, 0x41,
                                        0x10, 0x27, 0x6E, 0x01}));
  EXPECT_EQ(shown(view, "gold"), "66051");
  EXPECT_EQ(shown(view, "depth"), "-1.5");
  EXPECT_EQ(shown(view, "hour"), "23");
  EXPECT_EQ(shown(view, "weather"), "thick fog");
  EXPECT_EQ(shown(view, "score"), "123456");
  EXPECT_EQ(shown(view, "marks"), "met, keys");
  EXPECT_EQ(shown(view, "marks.keys"), "yes");
  EXPECT_EQ(shown(view, "played"), "0:16:40");
  EXPECT_EQ(shown(view, "saved"), "2001-01-01");
  EXPECT_EQ(set(view, "gold", "0x10 coins"), "");
  EXPECT_EQ(set(view, "depth", "2.25"), "");
  EXPECT_EQ(set(view, "hour", "7"), "");
  EXPECT_EQ(set(view, "weather", "Clear"), "");
  EXPECT_EQ(set(view, "score", "9"), "");
  EXPECT_EQ(set(view, "marks.met", "no"), "");
  EXPECT_EQ(set(view, "played", "1:00:01"), "");
  EXPECT_EQ(set(view, "saved", "2000-01-03"), "");
  EXPECT_EQ(view.bytes(), test::bytes({0x00, 0x00, 0x10, 0x24, 0x00, 0x38, 0x00, 0x00, 0x09, 0x40,
                                       0xAA, 0x8C, 0x02, 0x00}));
  EXPECT_NE(set(view, "gold", "16777216").find("does not fit"), std::string::npos);
  EXPECT_NE(set(view, "depth", "0.1").find("exactly"), std::string::npos);
  EXPECT_NE(set(view, "weather", "hail").find("not one of its names"), std::string::npos);
  EXPECT_NE(set(view, "marks", "lost").find("not one of its flags"), std::string::npos);
  EXPECT_NE(set(view, "saved", "2000-02-31").find("not a time"), std::string::npos);
  EXPECT_NE(set(view, "hour", "seven").find("not a number"), std::string::npos);
  EXPECT_EQ(shown(view, "nothing"), "error: no field is called 'nothing'");
}

TEST(FieldMaps, ShowTimesOfAllYears) {
  FieldView view = view_of(
      "[[field]]\nname = \"far\"\nat = 0\ntype = \"u32\"\ntime = { since = \"1970-01-01\", unit = "
      "\"minutes\" }\n",
      test::bytes({0xFF, 0xFF, 0xFF, 0x7F}));
  EXPECT_EQ(shown(view, "far"), "6053-01-23 02:07:00");
}

TEST(FieldMaps, ReadLettersOfAGamesOwn) {
  FieldView view = view_of(R"(
[[text.own.run]]
at = 0x80
letters = "ABCDEFGHIJ"
[text.own.letters]
" " = 0x00
"é" = 0x70
[[field]]
name = "name"
at = 0
type = "text"
length = 6
encoding = "own"
end = 0x50
fill = 0xFF
[[field]]
name = "wide"
at = 6
type = "text"
length = 6
encoding = "utf-16"
)",
                           test::bytes({0x81, 0x80, 0x83, 0x50, 0x99, 0x99, 'H', 0, 'i', 0, 0, 0}));
  EXPECT_EQ(shown(view, "name"), "BAD");
  EXPECT_EQ(shown(view, "wide"), "Hi");
  EXPECT_EQ(set(view, "name", "CAFé"), "");
  EXPECT_EQ(set(view, "wide", "é"), "");
  EXPECT_EQ(view.bytes(), test::bytes({0x82, 0x80, 0x85, 0x70, 0x50, 0xFF, 0xE9, 0, 0, 0, 0, 0}));
  EXPECT_NE(set(view, "name", "ABCDEFG").find("7 bytes"), std::string::npos);
  EXPECT_NE(set(view, "name", "xyz").find("letters"), std::string::npos);
}

TEST(FieldMaps, FollowCountsPlacesAndReferences) {
  FieldView view = view_of(R"(
[struct.room]
size = 4
[[struct.room.field]]
name = "name"
at = 0
type = "text"
length = 3
[[struct.room.field]]
name = "lit"
at = 3
type = "bool"
[[field]]
name = "start"
at = 0
type = "u8"
[[field]]
name = "count"
at = 1
type = "u8"
[[field]]
name = "here"
at = 2
type = "u8"
refers = "rooms.name"
[[field]]
name = "rooms"
at = "start + 1"
type = "room"
count = "count"
[[field]]
name = "ghost"
at = 2
type = "u8"
when = "count > 5"
)",
                           test::bytes({3, 2, 1, 0, 'K', 'e', 'y', 1, 'D', 'e', 'n', 0}));
  EXPECT_EQ(shown(view, "rooms[1].name"), "Den");
  EXPECT_EQ(shown(view, "here"), "1 (Den)");
  EXPECT_EQ(view.find("rooms[*].lit")->size(), 2U);
  EXPECT_EQ(view.find("rooms")->size(), 4U);
  EXPECT_EQ(view.all()->size(), 7U);
  EXPECT_FALSE(view.find("rooms[2].name"));
  EXPECT_FALSE(view.find("ghost"));
  EXPECT_EQ(set(view, "here", "Key"), "");
  EXPECT_EQ(shown(view, "here"), "0 (Key)");
  EXPECT_EQ(set(view, "count", "60"), "");
  EXPECT_EQ(view.all().error().code, Code::bad_map) << "they lie past the end";
}

TEST(FieldMaps, OpenSectionsInStructuresInSections) {
  // The outer one is masked with 0F; the inner one has its two halves the other way round.
  FieldView view = view_of(R"(
[struct.box]
size = 5
[[struct.box.field]]
name = "turn"
at = 0
type = "u8"
[[struct.box.section]]
name = "halves"
at = 1
size = 4
block = 2
permute = 2
choose = "turn"
[[struct.box.field]]
name = "value"
in = "halves"
at = 0
type = "u32"
order = "big"
[[struct.box.checksum]]
name = "own"
at = 0
in = "halves"
type = "u8"
kind = "xor"
over = [{ in = "halves", at = 1, size = 3 }]
[[field]]
name = "key"
at = 0
type = "u8"
[[section]]
name = "locked"
at = 1
size = 10
mask = "key"
[[field]]
name = "boxes"
in = "locked"
at = 0
type = "box"
count = 2
)",
                           test::bytes({0x0F, 0x0E, 0x0C, 0x0B, 0x0E, 0x0D,  // 01 03 04 01 02
                                        0x0F, 0x0E, 0x0D, 0x0C, 0x0B}));     // 00 01 02 03 04
  EXPECT_EQ(shown(view, "boxes[0].turn"), "1");
  EXPECT_EQ(shown(view, "boxes[0].value"), std::to_string(0x01020304));
  EXPECT_EQ(shown(view, "boxes[1].value"), std::to_string(0x01020304));
  EXPECT_EQ(set(view, "boxes[1].turn", "1"), "");
  EXPECT_EQ(shown(view, "boxes[1].value"), std::to_string(0x01020304));
  EXPECT_EQ(set(view, "key", "0"), "");
  EXPECT_EQ(view.bytes(), test::bytes({0, 1, 3, 4, 1, 2, 1, 3, 4, 1, 2}));
  EXPECT_EQ(set(view, "boxes[0].value", "0x01020305"), "");
  ASSERT_TRUE(view.make_sums_right());
  EXPECT_EQ(view.bytes(), test::bytes({0, 1, 3, 5, 2 ^ 3 ^ 5, 2, 1, 3, 4, 2 ^ 3 ^ 4, 2}));
}

Checksum sum_with(const std::function<void(Checksum&)>& change) {
  Checksum sum;
  change(sum);
  return sum;
}

TEST(FieldSums, HaveTheirKnownValues) {
  // The usual check words of the CRCs, over the digits 1 to 9.
  const Bytes digits = test::bytes({'1', '2', '3', '4', '5', '6', '7', '8', '9'});
  const auto crc = [](unsigned width, std::uint64_t polynomial, bool reflected, std::uint64_t start,
                      std::uint64_t last) {
    Checksum sum;
    sum.kind = Checksum::Kind::crc;
    sum.width = sum.crc_bits = width;
    sum.polynomial = polynomial;
    sum.reflected = sum.reflected_out = reflected;
    sum.start = start;
    sum.final_xor = last;
    return sum;
  };
  EXPECT_EQ(sum_of(crc(16, 0x1021, false, 0xFFFF, 0), digits), 0x29B1U);
  EXPECT_EQ(sum_of(crc(16, 0xA001, true, 0, 0), digits), 0xBB3DU);
  EXPECT_EQ(sum_of(crc(32, 0xEDB88320, true, 0xFFFFFFFF, 0xFFFFFFFF), digits), 0xCBF43926U);
  EXPECT_EQ(sum_of(crc(8, 0x07, false, 0, 0), digits), 0xF4U);
  Checksum twelve = crc(16, 0x80F, false, 0, 0);  // twelve bits in a field of sixteen
  twelve.crc_bits = 12;
  EXPECT_EQ(sum_of(twelve, digits), 0xF5BU);
  Checksum both = crc(16, 0x1021, false, 0xFFFF, 0);
  both.reflected_out = true;
  EXPECT_EQ(sum_of(both, digits), 0x8D94U) << "29B1 with its bits turned";
  const Bytes some = test::bytes({0x01, 0x02, 0xFF, 0xFF, 0x10});
  EXPECT_EQ(sum_of(sum_with([](Checksum&) {}), some), 0x0211U);
  EXPECT_EQ(sum_of(sum_with([](Checksum& s) { s.plus = 3; }), some), 0x0214U);
  EXPECT_EQ(sum_of(sum_with([](Checksum& s) { s.start = 0x100; }), some), 0x0311U);
  EXPECT_EQ(sum_of(sum_with([](Checksum& s) { s.complement = Checksum::Complement::ones; }), some),
            0xFDEEU);
  EXPECT_EQ(sum_of(sum_with([](Checksum& s) { s.complement = Checksum::Complement::twos; }), some),
            0xFDEFU);
  EXPECT_EQ(sum_of(sum_with([](Checksum& s) { s.unit = 16; }), some),
            (0x0201U + 0xFFFFU + 0x0010U) & 0xFFFFU);
  EXPECT_EQ(sum_of(sum_with([](Checksum& s) {
                     s.unit = 16;
                     s.order = std::endian::big;
                   }),
                   some),
            (0x0102U + 0xFFFFU + 0x1000U) & 0xFFFFU);
  EXPECT_EQ(sum_of(sum_with([](Checksum& s) {
                     s.unit = 16;
                     s.kind = Checksum::Kind::exclusive_or;
                   }),
                   some),
            0x0201U ^ 0xFFFFU ^ 0x0010U);
}

TEST(FieldSums, AreMadeRightInTheirOrder) {
  // The second covers the first; the third is the first with all bits turned.
  FieldView view = view_of(R"(
[[field]]
name = "data"
at = 0
type = "u8"
count = 4
[[checksum]]
name = "one"
at = 4
type = "u8"
kind = "sum"
over = [{ field = "data" }]
[[checksum]]
name = "two"
at = 5
type = "u16"
order = "big"
kind = "sum"
over = [{ at = 0, size = 5 }]
[[checksum]]
name = "whole"
at = 8
type = "u8"
kind = "xor"
without_itself = true
over = [{ at = 0, size = 9 }]
)",
                           test::bytes({1, 2, 3, 4, 0, 0, 0, 7, 99}));
  const auto wrong = view.make_sums_right();
  ASSERT_TRUE(wrong);
  EXPECT_EQ(wrong->size(), 3U);
  EXPECT_EQ(view.bytes(), test::bytes({1, 2, 3, 4, 10, 0, 20, 7, 1 ^ 2 ^ 3 ^ 4 ^ 10 ^ 20 ^ 7}));
  EXPECT_TRUE(view.make_sums_right()->empty());
}

// Two copies of three sectors of four bytes: a value, the turn, the sector's id.
const std::string kRotated = R"(
[copies]
at = [0, 12]
size = 12
counter = "sectors[*].turn"
write = "next"
[copies.sectors]
count = 3
size = 4
id_at = 3
id_bits = 8
[struct.sector]
size = 4
[[struct.sector.field]]
name = "value"
at = 0
type = "u8"
[[struct.sector.field]]
name = "turn"
at = 1
type = "u8"
[[struct.sector.checksum]]
name = "own"
at = 2
type = "u8"
kind = "sum"
over = [{ at = 0, size = 2 }]
[[field]]
name = "sectors"
at = 0
type = "sector"
count = 3
)";

TEST(FieldCopies, ThatAreRotatedAreReadAndWrittenAsTheGameDoes) {
  // The second copy is newer: its turn has wrapped to 0. It begins with the sector 2.
  const Bytes save = test::bytes({10, 255, 9,  0, 11, 255, 10, 1, 12, 255, 11, 2,  //
                                  22, 0,   22, 2, 20, 0,   20, 0, 21, 0,   21, 1});
  FieldView view = view_of(kRotated, save);
  ASSERT_EQ(view.copies().size(), 2U);
  EXPECT_TRUE(view.copies()[0].sound);
  EXPECT_TRUE(view.copies()[1].counts);
  EXPECT_EQ(shown(view, "sectors[0].value"), "20");
  ASSERT_TRUE(view.begin_next_copy());
  EXPECT_EQ(set(view, "sectors[0].value", "30"), "");
  ASSERT_TRUE(view.make_sums_right());
  // The first copy now, one further on; the second is as it was.
  EXPECT_EQ(view.bytes(), test::bytes({21, 1, 22, 1, 22, 1, 23, 2, 30, 1, 31, 0,  //
                                       22, 0, 22, 2, 20, 0, 20, 0, 21, 0, 21, 1}));
  FieldView again = view_of(kRotated, view.bytes());
  EXPECT_TRUE(again.copies()[0].counts);
  EXPECT_EQ(shown(again, "sectors[0].value"), "30");
}

TEST(FieldCopies, ThatAreDamagedDoNotCount) {
  Bytes save = test::bytes({10, 5, 15, 0, 11, 5, 16, 1, 12, 5, 17, 2,  //
                            20, 6, 26, 0, 21, 6, 27, 1, 22, 6, 28, 2});
  save[14] = std::byte{0};
  FieldView view = view_of(kRotated, save);
  EXPECT_FALSE(view.copies()[1].sound);
  EXPECT_TRUE(view.copies()[0].counts);
  EXPECT_EQ(shown(view, "sectors[0].value"), "10");
  save[15] = std::byte{1};  // two sectors of one id
  EXPECT_TRUE(view_of(kRotated, save).copies()[0].counts);
}

TEST(FieldRules, AreToldWithWhatWouldBeLegal) {
  FieldView view = view_of(R"(
[table.wages]
values = [0, 5, 40]
[struct.sailor]
size = 2
[[struct.sailor.field]]
name = "wage"
at = 0
type = "u8"
[[struct.sailor.field]]
name = "rank"
at = 1
type = "u8"
range = [1, 3]
[[struct.sailor.rule]]
name = "wage"
text = "a wage is one of the pay list, and at most what is in the chest"
must = "wage in wages and wage <= chest"
[[field]]
name = "chest"
at = 0
type = "u8"
[[field]]
name = "crew"
at = 1
type = "sailor"
count = 2
[[rule]]
name = "pay day"
when = "chest > 0"
must = "sum(crew[*].wage) <= chest"
)",
                           test::bytes({20, 5, 1, 5, 2}));
  EXPECT_TRUE(view.broken_rules()->empty());
  EXPECT_EQ(set(view, "crew[1].wage", "40"), "");
  const auto broken = view.broken_rules();
  ASSERT_EQ(broken->size(), 2U);
  EXPECT_EQ(broken->front().path, "crew[1]");
  EXPECT_EQ((*broken)[1].rule, "pay day");
  EXPECT_EQ(legal_values(view, view.find("crew[1].wage")->front(), {}), "0 and 5");
  EXPECT_EQ(shown(view, "crew[1].wage"), "40") << "the view is as it was";
  EXPECT_EQ(set(view, "crew[1].wage", "0"), "");
  EXPECT_EQ(set(view, "crew[0].rank", "9"), "");
  EXPECT_EQ(view.broken_rules()->at(0).text, "9 is not 1 to 3");
  EXPECT_EQ(legal_values(view, view.find("crew[0].rank")->front(), {}), "1 to 3");
}

TEST(FieldMaps, ThatAreWrongAreToldWithLineAndColumn) {
  const auto told = [](const std::string& text) {
    const auto map = read_map(kHead + text, "m.toml");
    return map ? std::string("read") : map.error().text;
  };
  const std::string field = "[[field]]\nname = \"a\"\nat = 0\n";
  EXPECT_NE(told(field + "type = \"u65\"\n").find("line 5, column 1"), std::string::npos)
      << told(field + "type = \"u65\"\n");
  EXPECT_NE(
      told(field + "type = \"u8\"\ncolour = 3\n").find("line 9, column 10: 'colour' means nothing"),
      std::string::npos)
      << told(field + "type = \"u8\"\ncolour = 3\n");
  EXPECT_NE(told(field + "type = \"u8\"\nwhen = \"1 +\"\n").find("line 9, column 8"),
            std::string::npos);
  EXPECT_NE(told(field + "type = \"u8\"\nenum = \"x\"\n").find("no enum"), std::string::npos);
  EXPECT_NE(told("[struct.a]\nsize = 1\n[[struct.a.field]]\nname = \"b\"\nat = 0\ntype = \"a\"\n")
                .find("lies in itself"),
            std::string::npos);
  EXPECT_NE(told("[[section]]\nname = \"s\"\nat = 0\nsize = 4\nmask = \"k\"\n").find("its key 'k'"),
            std::string::npos);
  EXPECT_NE(told("[[section]]\nname = \"s\"\nat = 0\nsize = 4\nblock = 2\norders = [[0, "
                 "0]]\nchoose = \"k\"\n")
                .find("each block once"),
            std::string::npos);
  EXPECT_NE(told("[[checksum]]\nname = \"s\"\nat = 0\nkind = \"md5\"\n").find("sum, xor or crc"),
            std::string::npos);
  EXPECT_NE(
      told(field + "type = \"u8\"\nin = \"x\"\n").find("line 5, column 1: there is no section"),
      std::string::npos);
  EXPECT_NE(told("[[rule]]\nname = \"r\"\nmust = \"goold > 1\"\n")
                .find("line 7, column 8: there is no field, table or enum 'goold'"),
            std::string::npos)
      << told("[[rule]]\nname = \"r\"\nmust = \"goold > 1\"\n");
  EXPECT_EQ(read_map("x = 1\n", "m.toml").error().code, Code::bad_map);
  EXPECT_EQ(read_map("[[[", "m.toml").error().code, Code::bad_map);
  EXPECT_EQ(read_map(kHead + "[;a.b]\n", "m.toml").error().code, Code::bad_map);
  EXPECT_NE(told("\nk\u00e9y = 1\n").find("line 6, column 2: a letter that must stand in quotes"),
            std::string::npos);
  EXPECT_NE(told("name = \"a\\\u00e9\"\n").find("column 11"), std::string::npos)
      << told("name = \"a\\\u00e9\"\n");
  EXPECT_NE(told("i = +P\"\u00e9\n").find("in quotes"), std::string::npos);
  EXPECT_EQ(told("# \u00e9\n[enum.a]\n0 = \"\u00e9\"\n1 = \"\"\"a\n\u00e9\"\"\"\n2 = '\u00e9\"'\n"),
            "read");
}

// Maps that would take for ever, or more memory than there is.
TEST(FieldMaps, ThatAreHostileEndSoon) {
  std::string deep = "";
  for (int i = 0; i < 11; ++i)
    deep += fmt::format(
        "[struct.s{}]\nsize = 1\n[[struct.s{}.field]]\nname = \"f\"\nat = 0\ncount = 65000\nstride "
        "= 0\ntype = \"{}\"\n",
        i, i, i == 0 ? "u8" : fmt::format("s{}", i - 1));
  deep += "[[field]]\nname = \"all\"\nat = 0\ntype = \"s10\"\n";
  FieldView view = view_of(deep, Bytes(10));
  EXPECT_EQ(view.all().error().code, Code::too_much);
  EXPECT_FALSE(view.sums());
  FieldView circle = view_of(
      "[[field]]\nname = \"a\"\nat = \"b\"\ntype = \"u8\"\n[[field]]\nname = \"b\"\nat = "
      "\"a\"\ntype = \"u8\"\n",
      Bytes(4));
  EXPECT_NE(shown(circle, "a").find("depend on themselves"), std::string::npos)
      << shown(circle, "a");
  FieldView far =
      view_of("[[field]]\nname = \"a\"\nat = 0x7fffffffffffffff\ntype = \"u8\"\n", Bytes(4));
  EXPECT_NE(shown(far, "a").find("outside"), std::string::npos);
  FieldView loop = view_of(
      "[[field]]\nname = \"a\"\nat = 0\ntype = \"u8\"\nrefers = \"b\"\n[[field]]\nname = \"b\"\nat "
      "= 0\ntype = \"u8\"\ncount = 1\nrefers = \"a\"\n",
      Bytes(4));
  EXPECT_EQ(shown(loop, "a"), "0");
}

}  // namespace
}  // namespace bayswap::fields
