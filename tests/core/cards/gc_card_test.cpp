// gc cards against bytes assembled by hand.
#include <gtest/gtest.h>

#include "bayswap/card.h"
#include "bayswap/face.h"
#include "support/golden_cards.h"

namespace bayswap {
namespace {

using test::operator+;

const CardLayout& gc_layout() {
  return *as_card(*find_layout("gc-card"));
}

test::GcSave kite() {
  test::GcSave save;
  save.code = "GKFE";
  save.maker = "7Q";
  save.name = "kite_foundry";
  save.data = test::random_bytes(3 * 8192, 1);
  save.comment = 0x40;
  test::put(save.data, 0x40, test::filled(64, 0));
  test::put(save.data, 0x40, "Kite Foundry");
  test::put(save.data, 0x60, "Workshop \xE9t\xE9");
  save.blocks = {9, 5, 63};
  save.modified = 3600;
  return save;
}

test::GcSave bell() {
  test::GcSave save;
  save.code = "GKFP";
  save.maker = "7Q";
  save.name = "kite_foundry";
  save.data = test::random_bytes(8192, 2);
  save.blocks = {6};
  return save;
}

TEST(GcCard, ReadsChainsTimesAndComments) {
  const Bytes golden = test::gc_card(59, {kite(), bell()});
  const auto card = gc_layout().open(golden);
  ASSERT_TRUE(card);
  EXPECT_TRUE(card->findings.empty());
  EXPECT_TRUE(gc_layout().validate(golden).empty());
  EXPECT_EQ(card->blocks_total, 59U);
  EXPECT_EQ(card->blocks_free, 55U);
  ASSERT_EQ(card->saves.size(), 2U);
  const Save& save = card->saves[0].save;
  EXPECT_EQ(save.name, "kite_foundry");
  EXPECT_EQ(save.game.code, "GKFE");
  EXPECT_EQ(save.game.maker, "7Q");
  EXPECT_EQ(save.game.region, Region::america);
  EXPECT_EQ(save.comment, "Kite Foundry\nWorkshop été");
  EXPECT_EQ(*save.modified, Time{std::chrono::seconds{946684800 + 3600}});
  EXPECT_EQ(save.parts[0].data, kite().data);
  EXPECT_EQ(card->saves[0].blocks, (std::vector<std::uint32_t>{4, 0, 58}));
}

TEST(GcCard, TheHigherCounterCounts) {
  Bytes golden = test::gc_card(59, {kite(), bell()}, 7);
  // The second directory, which is younger, loses an entry.
  test::put(golden, 2 * 8192, test::filled(64, 0xFF));
  test::seal_gc(golden, 2 * 8192, 2 * 8192 + 0x1FFC, 2 * 8192 + 0x1FFC);
  EXPECT_EQ(gc_layout().open(golden)->saves.size(), 1U);
  // Counters compare signed: 8000 is older than 7.
  test::put_be(golden, 2 * 8192 + 0x1FFA, 0x8000, 2);
  test::seal_gc(golden, 2 * 8192, 2 * 8192 + 0x1FFC, 2 * 8192 + 0x1FFC);
  EXPECT_EQ(gc_layout().open(golden)->saves.size(), 2U);
  // A copy whose check fails does not count, whatever its counter.
  test::put_be(golden, 2 * 8192 + 0x1FFA, 0x7000, 2);
  const auto card = gc_layout().open(golden);
  EXPECT_EQ(card->saves.size(), 2U);
  EXPECT_TRUE(has_code(card->findings, Code::spare_lost));
  EXPECT_FALSE(has_error(card->findings));
}

TEST(GcCard, AnOlderCopyStillKnowsTheDeleted) {
  Bytes golden = test::gc_card(59, {kite(), bell()}, 7);
  test::put(golden, 2 * 8192, test::filled(64, 0xFF));
  test::seal_gc(golden, 2 * 8192, 2 * 8192 + 0x1FFC, 2 * 8192 + 0x1FFC);
  const std::size_t map = 4 * 8192;
  for (const unsigned block : {9U, 5U, 63U})
    test::put_be(golden, map + 0x0A + (block - 5) * 2, 0, 2);
  test::put_be(golden, map + 6, 58, 2);
  test::seal_gc(golden, map + 4, map + 8192, map);
  EXPECT_TRUE(gc_layout().validate(golden).empty());
  const auto card = gc_layout().open(golden);
  ASSERT_TRUE(card);
  EXPECT_EQ(card->saves.size(), 1U);
  ASSERT_EQ(card->deleted.size(), 1U);
  EXPECT_EQ(card->deleted[0].save.parts[0].data, kite().data);
  EXPECT_EQ(card->map[4].state, BlockState::deleted);
  EXPECT_EQ(card->blocks_free, 58U);
}

TEST(GcCard, FormatsAllSizesLikeByHand) {
  for (const std::uint32_t blocks : {59U, 123U, 251U, 507U, 1019U, 2043U}) {
    const auto card = gc_layout().format(blocks);
    ASSERT_TRUE(card);
    EXPECT_EQ(*card, test::gc_card(blocks, {}));
    EXPECT_EQ(identify(*card, {}).front().layout, &gc_layout());
  }
  EXPECT_EQ(gc_layout().format(60).error().code, Code::wrong_size);
}

TEST(GcCard, PutsSaysAndDrops) {
  const Bytes golden = test::gc_card(59, {kite()});
  const Layout& single = **find_layout("gc-single");
  const Bytes file = test::gc_entry(bell()) + bell().data;
  EXPECT_EQ(identify(file, {}).front().layout, &single);
  const auto content = single.read(file, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(single.write({content->saves, std::nullopt, {}})->bytes, file);
  const auto changed = gc_layout().change(golden, {{}, content->saves});
  ASSERT_TRUE(changed) << changed.error().text;
  EXPECT_TRUE(gc_layout().validate(changed->bytes).empty());
  // The first free block is 6, as in the golden one; only counters, the last allocated block and
  // checks differ. Both copies hold the same.
  Bytes expected = test::gc_card(59, {kite(), bell()});
  for (const std::size_t copy : {0U, 1U}) {
    const std::size_t directory = (1 + copy) * 8192;
    const std::size_t map = (3 + copy) * 8192;
    test::put_be(expected, directory + 0x1FFA, 2 + copy, 2);
    test::put_be(expected, map + 4, 2 + copy, 2);
    test::put_be(expected, map + 8, 6, 2);
    test::seal_gc(expected, directory, directory + 0x1FFC, directory + 0x1FFC);
    test::seal_gc(expected, map + 4, map + 8192, map);
  }
  EXPECT_EQ(changed->bytes, expected);
  EXPECT_EQ(gc_layout().change(changed->bytes, {{}, content->saves}).error().code,
            Code::name_taken);
  const auto dropped = gc_layout().change(changed->bytes, {{0}, {}});
  ASSERT_TRUE(dropped);
  EXPECT_TRUE(gc_layout().validate(dropped->bytes).empty());
  EXPECT_EQ(gc_layout().open(dropped->bytes)->blocks_free, 58U);
}

TEST(GcCard, DecodesBannersAndIcons) {
  test::GcSave save = kite();
  save.pictures = 0x100;
  save.banner = 2;               // RGB5A3
  save.formats = 2U << 2U | 1U;  // palette, then RGB5A3
  save.speeds = 1U << 2U | 1U;
  const std::size_t banner = 0x100;
  const std::size_t first = banner + 96 * 32 * 2;
  const std::size_t second = first + 32 * 32;
  const std::size_t palette = second + 32 * 32 * 2;
  test::put_be(save.data, banner, 0xFC00, 2);  // opaque red
  test::put_be(save.data, banner + 4 * 4 * 2, 0x70F0,
               2);  // the second tile: opaque green in 4 bits
  test::put(save.data, first, test::bytes({7}));
  test::put_be(save.data, palette + 14, 0x801F, 2);   // colour 7: blue
  test::put(save.data, first + 8, test::bytes({9}));  // second row of the first tile
  test::put_be(save.data, palette + 18, 0x000F, 2);   // colour 9: blue, seen through
  const auto card = gc_layout().open(test::gc_card(59, {save}));
  ASSERT_TRUE(card);
  const Face face = face_of(card->saves[0].save);
  ASSERT_EQ(face.pictures.size(), 3U);
  EXPECT_EQ(face.icon, 1U);
  EXPECT_EQ(face.pictures[0].width, 96U);
  EXPECT_EQ(face.pictures[0].pixels[0], (Colour{255, 0, 0, 255}));
  EXPECT_EQ(face.pictures[0].pixels[4], (Colour{0, 255, 0, 255}));
  EXPECT_EQ(face.pictures[1].pixels[0], (Colour{0, 0, 255, 255}));
  EXPECT_EQ(face.pictures[1].pixels[32], (Colour{0, 0, 255, 0}));
  EXPECT_EQ(face.pictures[2].width, 32U);
}

TEST(GcCard, MendsFromSpares) {
  const Bytes golden = test::gc_card(59, {kite(), bell()});
  for (const std::size_t block : {1U, 2U, 3U, 4U}) {
    Bytes damaged = golden;
    test::put(damaged, block * 8192 + 100, test::filled(64, 0x5A));
    const auto mended = mend(gc_layout(), damaged);
    ASSERT_TRUE(mended);
    EXPECT_TRUE(gc_layout().validate(mended->bytes).empty());
    const auto card = gc_layout().open(mended->bytes);
    ASSERT_EQ(card->saves.size(), 2U) << block;
    EXPECT_EQ(card->saves[0].save.parts[0].data, kite().data);
    EXPECT_EQ(card->saves[0].blocks, (std::vector<std::uint32_t>{4, 0, 58}))
        << "stays where it lies";
  }
  Bytes both = golden;
  for (const std::size_t block : {1U, 2U})
    test::put(both, block * 8192 + 70 * 64, test::filled(64, 1));
  const auto rescued = mend(gc_layout(), both);
  ASSERT_TRUE(rescued);
  EXPECT_EQ(gc_layout().open(rescued->bytes)->saves.size(), 2U)
      << "entries of directories that fail";
  Bytes broken = golden;
  for (const std::size_t map : {3U, 4U}) {
    test::put_be(broken, map * 8192 + 0x0A + (9 - 5) * 2, 0, 2);
    test::put_be(broken, map * 8192 + 6, 56, 2);
    test::seal_gc(broken, map * 8192 + 4, (map + 1) * 8192, map * 8192);
  }
  const auto rebuilt = mend(gc_layout(), broken);
  ASSERT_TRUE(rebuilt);
  EXPECT_EQ(rebuilt->saves[0].state, RescueState::repaired) << rebuilt->saves[0].what.at(0);
  EXPECT_EQ(rebuilt->saves[1].state, RescueState::whole);
}

}  // namespace
}  // namespace bayswap
