// x360 packages against bytes that were assembled by hand.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/bytes/hash.h"
#include "core/layouts/x360/x360_format.h"
#include "support/card_damage.h"
#include "support/golden_packages.h"

namespace bayswap {
namespace {

using test::InnerFile;
using test::PackageGolden;
using test::PackageShape;
using testing::ElementsAre;

const CardLayout& layout() {
  return test::card_layout("x360-package");
}

std::vector<std::string> names_on(const Card& card) {
  std::vector<std::string> names;
  for (const CardSave& file : card.saves) names.push_back(file.save.name);
  return names;
}

Save plain(const std::string& name, Bytes data) {
  Save save;
  save.system = System::x360;
  save.kind = Kind::card_save;
  save.name = name;
  save.modified = Time{std::chrono::seconds{1'772'600'000}};
  save.parts.push_back({name, std::move(data), false, {}});
  return save;
}

const Save& file_called(const Card& card, const std::string& name) {
  return card.saves.at(*find_on_card(card.saves, name)).save;
}

// All forms of tables: one copy, two with either live, and with a level above.
std::vector<PackageShape> shapes() {
  std::vector<PackageShape> all(3);
  all[1].copies = 2;
  all[2].copies = 2;
  all[2].second_live = true;
  return all;
}

TEST(X360Package, StandsWhereTheFactsSay) {
  for (const PackageShape& shape : shapes()) {
    const PackageGolden golden(shape, {{"large", test::random_bytes(400 * 4096, 3)}});
    ASSERT_EQ(golden.table_at[1].size(), 1U);
    for (std::size_t b = 0; b < golden.data_at.size(); ++b)
      ASSERT_EQ(golden.kHeader + x360::block_place(b, shape.copies) * 4096, golden.data_at[b]) << b;
    for (std::size_t t = 0; t < golden.table_at[0].size(); ++t)
      EXPECT_EQ(golden.kHeader + x360::table_place(0, t, shape.copies) * 4096,
                golden.table_at[0][t]);
    EXPECT_EQ(golden.kHeader + x360::table_place(1, 0, shape.copies) * 4096, golden.table_at[1][0]);
    EXPECT_EQ(x360::blocks_in(golden.bytes.size() - golden.kHeader, shape.copies),
              golden.data_at.size());
  }
  // b + c·(b/170 + 1 + [b≥170]·(1 + b/28900) + [b≥28900])
  EXPECT_EQ(x360::block_place(28'899, 1), 28'899U + 171);
  EXPECT_EQ(x360::block_place(28'900, 1), 28'900U + 174);
  EXPECT_EQ(x360::block_place(28'900, 2), 28'900U + 348);
  EXPECT_EQ(x360::table_place(2, 0, 1), 28'900U + 171);
  EXPECT_EQ(x360::table_place(1, 1, 1), 28'900U + 172);
  EXPECT_EQ(x360::table_place(0, 170, 1), 28'900U + 173);
}

TEST(X360Package, IsReadAsTheFactsSay) {
  for (PackageShape shape : shapes()) {
    shape.free_blocks = 3;
    shape.thumbnail = test::random_bytes(900, 8);
    const PackageGolden golden(shape, test::usual_files());
    const auto guesses = identify(golden.bytes, {});
    ASSERT_FALSE(guesses.empty());
    EXPECT_EQ(guesses.front().layout, &layout());
    EXPECT_EQ(guesses.front().confidence, Confidence::certain);
    EXPECT_TRUE(layout().validate(golden.bytes).empty());
    const auto card = layout().open(golden.bytes);
    ASSERT_TRUE(card);
    EXPECT_TRUE(card->findings.empty());
    EXPECT_EQ(card->comment, "Hold 7, ore and salt");
    EXPECT_EQ(card->game.title, "Cinder Freight");
    EXPECT_EQ(card->game.title_id, "0000000058360801");
    EXPECT_EQ(card->game.profile, "e000014a5b6c7d8e");
    EXPECT_EQ(card->thumbnail, shape.thumbnail);
    EXPECT_THAT(names_on(*card), ElementsAre("savegame.dat", "routes/north.bin", "empty"));
    EXPECT_EQ(card->saves[0].save.parts[0].data, test::random_bytes(10'000, 1));
    EXPECT_EQ(card->saves[1].save.parts[0].data, test::random_bytes(5'000, 2));
    EXPECT_TRUE(card->saves[2].save.parts[0].data.empty());
    EXPECT_EQ(card->saves[1].blocks, (std::vector<std::uint32_t>{8, 7}));
    EXPECT_EQ(card->blocks_free, 3U);
    EXPECT_EQ(card->blocks_total, 8U);
    using namespace std::chrono;
    EXPECT_EQ(card->saves[0].save.modified,
              sys_days{2026y / March / 4} + hours{5} + minutes{6} + seconds{8});
  }
}

TEST(X360Package, AFileIsPutTakenAndReplaced) {
  for (PackageShape shape : shapes()) {
    shape.free_blocks = 3;
    const PackageGolden golden(shape, test::usual_files());
    const Bytes data = test::random_bytes(30'000, 9);
    const auto put = layout().change(
        golden.bytes, {{}, {plain("routes/east/night.bin", data), plain("second", Bytes(1))}});
    ASSERT_TRUE(put) << put.error().text;
    EXPECT_TRUE(layout().validate(put->bytes).empty());
    const auto card = layout().open(put->bytes);
    EXPECT_THAT(names_on(*card), ElementsAre("savegame.dat", "routes/north.bin", "empty",
                                             "routes/east/night.bin", "second"));
    EXPECT_EQ(file_called(*card, "routes/east/night.bin").parts[0].data, data);
    EXPECT_EQ(file_called(*card, "second").modified, Time{std::chrono::seconds{1'772'600'000}});
    // Untouched files keep their blocks, and their blocks keep their bytes.
    for (std::size_t b = 4; b < golden.data_at.size(); ++b)
      EXPECT_EQ(test::part_of(put->bytes, golden.data_at[b], 4096),
                test::part_of(golden.bytes, golden.data_at[b], 4096));
    const auto gone = layout().change(put->bytes, {{0, 3}, {}});
    ASSERT_TRUE(gone);
    EXPECT_TRUE(layout().validate(gone->bytes).empty());
    EXPECT_THAT(names_on(*layout().open(gone->bytes)),
                ElementsAre("routes/north.bin", "empty", "second"));
    const auto again = layout().change(gone->bytes, {{0}, {plain("Routes/north.bin", data)}});
    ASSERT_TRUE(again);
    EXPECT_TRUE(layout().validate(again->bytes).empty());
    EXPECT_EQ(file_called(*layout().open(again->bytes), "routes/north.bin").parts[0].data, data);
  }
}

TEST(X360Package, HashesAreRightByHand) {
  const PackageGolden golden({}, {});
  const auto put = layout().change(golden.bytes, {{}, {plain("one", test::filled(5, 7))}});
  ASSERT_TRUE(put);
  const Bytes& bytes = put->bytes;
  const std::size_t h = PackageGolden::kHeader;
  ASSERT_EQ(bytes.size(), h + 3 * 4096);
  Bytes block = test::filled(4096, 0);
  test::put(block, 0, test::filled(5, 7));
  EXPECT_EQ(test::part_of(bytes, h + 2 * 4096, 4096), block);
  EXPECT_EQ(test::part_of(bytes, h + 24, 20), test::sha1_by_hand(block));
  EXPECT_EQ(test::part_of(bytes, h + 44, 4), test::bytes({0x80, 0xFF, 0xFF, 0xFF}));
  EXPECT_EQ(test::get_be(bytes, h + 0xFF0, 4), 2U);
  EXPECT_EQ(test::part_of(bytes, 0x381, 20), test::sha1_by_hand(test::part_of(bytes, h, 4096)));
  EXPECT_EQ(test::get_be(bytes, 0x395, 4), 2U);
  EXPECT_EQ(test::part_of(bytes, 0x32C, 20),
            test::sha1_by_hand(test::part_of(bytes, 0x344, h - 0x344)));
  const std::size_t entry = h + 4096;
  EXPECT_EQ(test::part_of(bytes, entry + 0x28, 16),
            test::bytes({0x43, 1, 0, 0, 1, 0, 0, 1, 0, 0, 0xFF, 0xFF, 0, 0, 0, 5}));
}

// Beyond 170 blocks a table above appears, and with two copies it says which one counts.
TEST(X360Package, GrowsByLevels) {
  for (const PackageShape& shape : shapes()) {
    const PackageGolden golden(shape, {{"base", test::random_bytes(160 * 4096, 4)}});
    Bytes package = golden.bytes;
    for (int i = 0; i < 12; ++i) {
      const auto put = layout().change(
          package, {{}, {plain("part" + std::to_string(i), test::random_bytes(20 * 4096, 5))}});
      ASSERT_TRUE(put);
      package = put->bytes;
      const Findings strict = layout().validate(package);
      ASSERT_TRUE(strict.empty()) << i << ": " << strict.front().text;
    }
    EXPECT_EQ(layout().open(package)->saves.size(), 13U);
    EXPECT_EQ(file_called(*layout().open(package), "base").parts[0].data,
              test::random_bytes(160 * 4096, 4));
    // The same blocks as one assembled by hand has them.
    EXPECT_EQ(test::get_be(package, 0x395, 4), 401U);
  }
}

TEST(X360Package, ManyFilesNeedMoreOfAFileTable) {
  Bytes package = PackageGolden({}, {}).bytes;
  CardChange change;
  for (int i = 0; i < 150; ++i)
    change.put.push_back(plain("f" + std::to_string(i), test::random_bytes(10, 1)));
  const auto put = layout().change(package, change);
  ASSERT_TRUE(put);
  EXPECT_TRUE(layout().validate(put->bytes).empty());
  EXPECT_EQ(layout().open(put->bytes)->saves.size(), 150U);
  EXPECT_EQ(test::get_be(put->bytes, 0x37C, 1), 3U);
}

TEST(X360Package, NamesThatCannotBeAreRefused) {
  const Bytes package = PackageGolden({}, test::usual_files()).bytes;
  const auto code = [&](const std::string& name) {
    const auto put = layout().change(package, {{}, {plain(name, Bytes(3))}});
    return put ? std::string("done") : std::string(to_string(put.error().code));
  };
  EXPECT_EQ(code(std::string(40, 'n')), "done");
  EXPECT_EQ(code(std::string(41, 'n')), "no-match");
  EXPECT_EQ(code("../out"), "no-match");
  EXPECT_EQ(code("a//b"), "no-match");
  EXPECT_EQ(code("/rooted"), "no-match");
  EXPECT_EQ(code("tab\there"), "no-match");
  EXPECT_EQ(code("SAVEGAME.DAT"), "name-taken");
  EXPECT_EQ(code("routes"), "name-taken");
  EXPECT_EQ(code("savegame.dat/inner"), "name-taken");
}

TEST(X360Package, SaysWhatAChangeBreaks) {
  PackageShape shape;
  EXPECT_EQ(layout().broken_seal(PackageGolden(shape, {}).bytes)->level, Level::note);
  for (const char* magic : {"LIVE", "PIRS"}) {
    shape.magic = magic;
    const auto broken = layout().broken_seal(PackageGolden(shape, {}).bytes);
    ASSERT_TRUE(broken);
    EXPECT_EQ(broken->level, Level::error);
    EXPECT_EQ(broken->code, Code::damaged);
  }
}

TEST(X360Package, EveryKindOfDamageIsFound) {
  PackageShape shape;
  shape.free_blocks = 2;
  const PackageGolden golden(shape, test::usual_files());
  const std::size_t h = PackageGolden::kHeader;
  const auto flip = [](std::size_t at) {
    return [=](Bytes& bytes) { bytes[at] ^= std::byte{0x10}; };
  };
  const auto sealed = [&](std::size_t at, std::uint64_t value, std::size_t width) {
    return [=](Bytes& bytes) {
      test::put_be(bytes, at, value, width);
      test::put(bytes, 0x32C, test::sha1_by_hand(test::part_of(bytes, 0x344, h - 0x344)));
    };
  };
  test::expect_findings(
      layout(), golden.bytes,
      {{"a name in the header", Level::error, flip(0x420)},
       {"header hash", Level::error, flip(0x330)},
       {"a byte of a file", Level::error, flip(golden.data_at[4] + 99)},
       {"hash of a block", Level::error, flip(h + 4 * 24 + 3)},
       {"root hash", Level::error, sealed(0x381, 1, 4)},
       {"chain of a file", Level::error, flip(h + 7 * 24 + 23)},
       {"used counted as free", Level::error, flip(h + 3 * 24 + 20)},
       {"file table", Level::error, flip(golden.data_at[0] + 0x36)},
       {"parent of a file", Level::error, flip(golden.data_at[0] + 2 * 64 + 0x33)},
       {"counts", Level::warn, sealed(0x395, 0x0000000500000003, 8)},
       {"too small a count", Level::error, sealed(0x395, 0x0000000400000000, 8)},
       {"cut", Level::error, [](Bytes& bytes) { bytes.erase(bytes.end() - 5000, bytes.end()); }}});
}

// Of two copies of a table, the one whose hash fits gives everything back.
TEST(X360Package, ADamagedTableIsTakenFromItsCopy) {
  PackageShape shape;
  shape.copies = 2;
  PackageGolden golden(shape, test::usual_files());
  Bytes package = golden.bytes;
  // The second copy holds what the first one should.
  test::put(package, golden.table_at[0][0] + 4096,
            test::part_of(package, golden.table_at[0][0], 4096));
  test::put(package, golden.table_at[0][0], test::filled(600, 0xEE));
  EXPECT_TRUE(has_error(layout().validate(package)));
  const auto mended = mend(layout(), package);
  ASSERT_TRUE(mended);
  for (const Rescue& rescue : mended->saves) EXPECT_EQ(rescue.state, RescueState::whole);
  EXPECT_TRUE(layout().validate(mended->bytes).empty());
  EXPECT_EQ(layout().open(mended->bytes)->saves.size(), 3U);
}

TEST(X360Package, HostileTablesNeitherHangNorGrow) {
  PackageGolden golden({}, {});
  Bytes package = golden.bytes;
  // Every entry claims all blocks, folders are their own parents, chains come back.
  for (std::size_t i = 0; i < 64; ++i) {
    const std::size_t entry = golden.data_at[0] + i * 64;
    test::put(package, entry, "f");
    test::put(package, entry + 0x28, i % 2 == 0 ? 0x81U : 0x01U);
    test::put_be(package, entry + 0x32, i, 2);
    test::put_be(package, entry + 0x34, 0xFFFFFFFF, 4);
  }
  test::put_be(package, golden.table_at[0][0] + 21, 0, 3);
  test::put_le(package, 0x37C, 0xFFFF, 2);
  const auto card = layout().open(package);
  ASSERT_TRUE(card);
  EXPECT_FALSE(card->findings.empty());
  EXPECT_TRUE(has_error(layout().validate(package)));
  (void)mend(layout(), package);
}

TEST(X360Package, IsCarriedAsItIs) {
  const Bytes package = PackageGolden({}, test::usual_files()).bytes;
  Hints hints;
  hints.file_name = "FREIGHT01";
  const auto content = layout().read(package, hints);
  ASSERT_TRUE(content);
  ASSERT_EQ(content->saves.size(), 1U);
  EXPECT_EQ(content->saves[0].name, "FREIGHT01");
  EXPECT_EQ(content->saves[0].comment, "Hold 7, ore and salt");
  EXPECT_EQ(layout().write({content->saves, std::nullopt, {}})->bytes, package);
  EXPECT_EQ(layout().format(1).error().code, Code::no_match);
}

}  // namespace
}  // namespace bayswap
