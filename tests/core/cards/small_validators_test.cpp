// The strict look at small cards finds every kind of damage.
#include "support/card_damage.h"

namespace bayswap {
namespace {

using test::Case;
using test::expect_findings;

TEST(CardValidators, N64Pak) {
  const test::PakNote a{"NGPE", "BS", {0x1A}, {}, {9, 127, 5}, test::random_bytes(768, 1)};
  const test::PakNote b{"NGPE", "BS", {0x1B}, {}, {6}, test::random_bytes(256, 2)};
  const auto both = [](std::size_t page, unsigned value) {
    return [=](Bytes& bytes) {
      for (const std::size_t table : {0x100U, 0x200U}) {
        test::put_be(bytes, table + page * 2, value, 2);
        test::seal_pak_index(bytes, table);
      }
    };
  };
  expect_findings(
      test::card_layout("n64-pak"), test::golden_pak({a, b}),
      {{"one id", Level::warn, [](Bytes& bytes) { test::put(bytes, 0x22, 9U); }},
       {"every id", Level::error,
        [](Bytes& bytes) {
          for (const std::size_t at : {0x20U, 0x60U, 0x80U, 0xC0U}) test::put(bytes, at + 2, 9U);
        }},
       {"one table", Level::warn, [](Bytes& bytes) { test::put(bytes, 0x101, 9U); }},
       {"the copy", Level::warn, [](Bytes& bytes) { test::put(bytes, 0x201, 9U); }},
       {"both tables", Level::error,
        [](Bytes& bytes) {
          test::put(bytes, 0x101, 9U);
          test::put(bytes, 0x201, 9U);
        }},
       {"chain into free space", Level::error, both(127, 99)},
       {"chain out of the pak", Level::error, both(127, 200)},
       {"loop", Level::error, both(5, 9)},
       {"crossing", Level::error, both(6, 5)},
       {"stray page", Level::warn, both(60, 1)},
       {"a bank that is not there", Level::error, both(127, 0x105)},
       {"first page", Level::error, [](Bytes& bytes) { test::put_be(bytes, 0x306, 2, 2); }},
       {"one name twice", Level::error, [](Bytes& bytes) { test::put(bytes, 0x330, 0x1AU); }},
       {"cut", Level::error, [](Bytes& bytes) { bytes.resize(30'000); }}});
}

TEST(CardValidators, Dc) {
  const test::DcSave game{"GAME", 0xCC, {0, 1, 2, 3}, test::dc_data(1, 700, 4, true)};
  const test::DcSave a{"A", 0x33, {199, 150, 198}, test::dc_data(1, 800, 3)};
  const test::DcSave b{"B", 0x33, {120}, test::dc_data(0, 300, 5)};
  const auto le = [](std::size_t at, unsigned value, std::size_t width) {
    return [=](Bytes& bytes) { test::put_le(bytes, at, value, width); };
  };
  const std::size_t root = 255 * 512;
  const std::size_t table = 254 * 512;
  const std::size_t entries = 253 * 512;
  expect_findings(test::card_layout("dc-card"), test::golden_dc({game, a, b}),
                  {{"root's mark", Level::error, le(root + 3, 0x54, 1)},
                   {"place of the directory", Level::error, le(root + 0x4A, 9, 2)},
                   {"size of the table", Level::error, le(root + 0x48, 2, 2)},
                   {"blocks for users", Level::error, le(root + 0x50, 30, 2)},
                   {"the directory's own chain", Level::error, le(table + 250 * 2, 0xFFFA, 2)},
                   {"chain into free space", Level::error, le(table + 150 * 2, 7, 2)},
                   {"chain out of the card", Level::error, le(table + 150 * 2, 900, 2)},
                   {"loop", Level::error, le(table + 198 * 2, 199, 2)},
                   {"crossing", Level::error, le(table + 120 * 2, 198, 2)},
                   {"length", Level::error, le(entries + 32 + 0x18, 2, 2)},
                   {"no name", Level::error, le(entries + 32 + 4, 0, 8)},
                   {"one name twice", Level::error, le(entries + 64 + 4, 'A', 1)},
                   {"a type that is none", Level::error, le(entries + 64, 0x44, 1)},
                   {"two games", Level::error, le(entries + 64, 0xCC, 1)},
                   {"a game out of place", Level::error, le(table + 1 * 2, 90, 2)},
                   {"stray block", Level::warn, le(table + 60 * 2, 0xFFFA, 2)},
                   {"cut", Level::error, [](Bytes& bytes) { bytes.resize(125'000); }}});
}

TEST(CardValidators, Saturn) {
  const test::SaturnSave a{"MERIDIAN_01", "one", 1, 5, {7, 3, 511, 9}, test::random_bytes(150, 7)};
  const test::SaturnSave b{"MERIDIAN_02", "two", 1, 5, {20, 21}, test::random_bytes(80, 8)};
  const auto be = [](std::size_t at, unsigned value, std::size_t width) {
    return [=](Bytes& bytes) { test::put_be(bytes, at, value, width); };
  };
  const std::size_t list = 7 * 64 + 34;
  const std::vector<Case> cases{
      {"the format's name", Level::error, [](Bytes& bytes) { test::put(bytes, 20, "XX"); }},
      {"list out of the memory", Level::error, be(list, 512, 2)},
      {"list into the first blocks", Level::error, be(list, 1, 2)},
      {"loop", Level::error, be(list + 2, 3, 2)},
      {"crossing", Level::error, be(list + 2, 21, 2)},
      {"list too short", Level::error, be(list + 2, 0, 2)},
      {"length", Level::error, be(7 * 64 + 30, 9000, 4)},
      {"tag of a later block", Level::error, be(3 * 64, 0x12, 4)},
      {"stray tag", Level::warn, be(100 * 64, 0x77, 4)},
      {"no name", Level::error, be(7 * 64 + 4, 0, 8)},
      {"one name twice", Level::error, be(20 * 64 + 4 + 10, '1', 1)},
      {"cut", Level::error, [](Bytes& bytes) { bytes.resize(30'000); }}};
  expect_findings(test::card_layout("saturn-bram"), test::golden_saturn(false, {a, b}), cases);
  std::vector<Case> wide;
  for (const Case& one : cases)
    wide.push_back({one.name, one.level, [damage = one.damage](Bytes& bytes) {
                      Bytes plain;
                      for (std::size_t i = 1; i < bytes.size(); i += 2) plain.push_back(bytes[i]);
                      damage(plain);
                      bytes = test::doubled(plain, 0xFF);
                    }});
  expect_findings(test::card_layout("saturn-bram-odd"),
                  test::doubled(test::golden_saturn(false, {a, b}), 0xFF), wide);
}

TEST(CardValidators, Pce) {
  const Bytes a = test::pce_entry("COBALT-1  ", test::random_bytes(99, 11));
  const Bytes b = test::pce_entry("COBALT-2  ", test::random_bytes(60, 12));
  expect_findings(
      test::card_layout("pce-bram"), test::golden_pce({a, b}),
      {{"mark", Level::error, [](Bytes& bytes) { test::put(bytes, 0, "X"); }},
       {"end address", Level::error, [](Bytes& bytes) { test::put_le(bytes, 4, 0x8801, 2); }},
       {"next address", Level::error, [](Bytes& bytes) { test::put_le(bytes, 6, 0x8012, 2); }},
       {"a size too small", Level::error, [](Bytes& bytes) { test::put_le(bytes, 16, 5, 2); }},
       {"a size too large", Level::error, [](Bytes& bytes) { test::put_le(bytes, 16, 5000, 2); }},
       {"cut", Level::error, [](Bytes& bytes) { bytes.resize(2000); }}});
}

}  // namespace
}  // namespace bayswap
