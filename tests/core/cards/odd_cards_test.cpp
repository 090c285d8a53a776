// Single faults of cards that a look must tell of and a mend must put right.
#include <gtest/gtest.h>

#include "demo/card_makers.h"
#include "support/card_zoo.h"

namespace bayswap {
namespace {

Bytes with_saves(const CardLayout& layout, Bytes card, unsigned count, std::uint32_t seed = 5) {
  test::Numbers numbers(seed);
  for (unsigned i = 0; i < count; ++i)
    if (auto changed = layout.change(card, {{}, {test::random_card_save(layout, i, numbers)}}))
      card = std::move(changed->bytes);
  return card;
}

// Every save is on the mended card as it was, and nothing is said to be lost.
void expect_all_rescued(const CardLayout& layout, ByteView good, ByteView bad) {
  const auto before = layout.open(good);
  const auto mended = mend(layout, bad);
  ASSERT_TRUE(mended) << mended.error().text;
  EXPECT_FALSE(mended->unnamed);
  for (const Rescue& rescue : mended->saves) EXPECT_LE(rescue.state, RescueState::repaired);
  EXPECT_TRUE(layout.validate(mended->bytes).empty());
  const auto after = layout.open(mended->bytes);
  ASSERT_TRUE(after);
  ASSERT_EQ(after->saves.size(), before->saves.size());
  for (const CardSave& save : before->saves)
    EXPECT_TRUE(std::ranges::any_of(after->saves, [&](const CardSave& now) {
      return same_card_save(now.save, save.save);
    })) << save.save.name;
}

bool tells(const Findings& findings, std::string_view what) {
  return std::ranges::any_of(findings, [&](const Finding& finding) {
    return finding.text.find(what) != std::string::npos;
  });
}

bool tells_of_a_save(const Card& card, std::string_view what) {
  return std::ranges::any_of(card.saves,
                             [&](const CardSave& save) { return tells(save.findings, what); });
}

TEST(OddPs2Cards, TheSizeTellsWhatTheSuperblockHasWrong) {
  const CardLayout& layout = test::card_layout("ps2-card");
  const Bytes good = with_saves(layout, *layout.format(8000), 4);
  struct Field {
    std::size_t at;
    std::uint32_t value;
  };
  for (const Field field :
       {Field{0x34, 42}, Field{0x34, 40}, Field{0x34, 4000}, Field{0x34, 0}, Field{0x50, 9},
        Field{0x50, 0}, Field{0x50, 0xFFFFFFFF}, Field{0x3C, 7}, Field{0x30, 70}}) {
    SCOPED_TRACE(field.at * 100000 + field.value);
    Bytes bad = good;
    test::put_le(bad, field.at, field.value, 4);
    expect_all_rescued(layout, good, bad);
  }
}

TEST(OddPs2Cards, FieldsThatOnlyStrictReadersMind) {
  const CardLayout& layout = test::card_layout("ps2-card");
  const Bytes good = with_saves(layout, *layout.format(8000), 2);
  Bytes blocks = good;
  test::put_le(blocks, 0x2C, 65535, 2);
  EXPECT_TRUE(tells(layout.validate(blocks), "65535 pages in an erase block"));
  expect_all_rescued(layout, good, blocks);
  Bytes bad_list = good;
  test::put_le(bad_list, 0xD8, 0x12345678, 4);
  EXPECT_TRUE(tells(layout.validate(bad_list), "list of bad blocks"));
  expect_all_rescued(layout, good, bad_list);
}

TEST(OddPs2Cards, ASaveCalledTwoDotsIsListed) {
  const CardLayout& layout = test::card_layout("ps2-card");
  const Bytes good = with_saves(layout, *layout.format(8000), 2);
  const auto before = layout.open(good);
  Bytes bad = good;
  const std::string& name = before->saves[1].save.name;
  const auto wanted = std::as_bytes(std::span(name));
  const auto found = std::search(bad.begin(), bad.end(), wanted.begin(), wanted.end());
  ASSERT_NE(found, bad.end());
  std::fill_n(found, name.size(), std::byte{0});
  std::fill_n(found, 2, std::byte{'.'});
  const auto card = layout.open(bad);
  ASSERT_EQ(card->saves.size(), 2U);
  EXPECT_TRUE(tells_of_a_save(*card, "no save can have this name"));
  EXPECT_TRUE(has_error(layout.validate(bad)));
  const auto mended = mend(layout, bad);
  ASSERT_TRUE(mended);
  const auto after = layout.open(mended->bytes);
  ASSERT_EQ(after->saves.size(), 2U);
  for (const Part& part : before->saves[1].save.parts)
    EXPECT_TRUE(std::ranges::any_of(after->saves, [&](const CardSave& save) {
      const Part* there = save.save.part(part.name);
      return save.save.name.starts_with("RESCUED-") && there != nullptr && there->data == part.data;
    })) << part.name;
}

TEST(OddPs2Cards, AnErasedBlockOfASaveIsTold) {
  const CardLayout& layout = test::card_layout("ps2-card-ecc");
  Bytes card = *layout.format(8000);
  card =
      layout
          .change(card,
                  {{}, {demo::ps2_save("BASLUS-20999A", "Velvet Signal", "Day", 60'000, 0x80, 3)}})
          ->bytes;
  EXPECT_TRUE(layout.open(card)->saves[0].findings.empty());
  // Cluster 41 is the first that can be given out; a block of 16 pages lies in the save's data.
  const std::size_t block = (41 + 24) / 8 * 16;
  std::fill_n(card.begin() + static_cast<std::ptrdiff_t>(block * 528), 16 * 528, std::byte{0});
  EXPECT_TRUE(tells_of_a_save(*layout.open(card), "some of its pages read erased"));
}

TEST(OddPs2Cards, TheLimitOfALargeCardComesFromItsClusters) {
  const CardLayout& layout = test::card_layout("ps2-card");
  // 128 MiB: 131,072 clusters, two backup blocks, 512 parts of the table, 2 lists of them; all of
  // what is left lies below 131,001.
  const std::uint32_t left = 131072 - 16 - (8 + 2 + 512);
  EXPECT_EQ(layout.card_info().capacities.back(), left - 1);
}

TEST(OddGcCards, AreWrittenAsStrictReadersWant) {
  const CardLayout& layout = test::card_layout("gc-card");
  const Bytes good = with_saves(layout, test::small_card("gc-card"), 3);
  const auto sum = [](Bytes& card, std::size_t from, std::size_t to, std::size_t at) {
    std::uint32_t check = 0;
    std::uint32_t inverse = 0;
    for (std::size_t i = from; i < to; i += 2) {
      const auto word =
          static_cast<std::uint32_t>(card[i]) << 8U | static_cast<std::uint32_t>(card[i + 1]);
      check += word;
      inverse += word ^ 0xFFFFU;
    }
    test::put_be(card, at, (check & 0xFFFFU) == 0xFFFFU ? 0 : check & 0xFFFFU, 2);
    test::put_be(card, at + 2, (inverse & 0xFFFFU) == 0xFFFFU ? 0 : inverse & 0xFFFFU, 2);
  };
  Bytes text = good;
  test::put_be(text, 0x24, 0x7A7A, 2);
  sum(text, 0, 0x1FC, 0x1FC);
  EXPECT_TRUE(tells(layout.validate(text), "how the card's text is stored"));
  expect_all_rescued(layout, good, text);
  for (const std::size_t map : {std::size_t{3} * 8192, std::size_t{4} * 8192}) {
    Bytes behind = good;
    test::put_be(behind, map + 0xA + 200, 77, 2);
    test::put_be(behind, map + 8, 999, 2);
    sum(behind, map + 4, map + 8192, map);
    const Findings found = layout.validate(behind);
    EXPECT_TRUE(tells(found, "goes on after the card's last block"));
    EXPECT_TRUE(tells(found, "a block that the card does not have"));
    expect_all_rescued(layout, good, behind);
  }
}

TEST(OddSmallCards, AreTold) {
  const CardLayout& dc = test::card_layout("dc-card");
  Bytes vmu = with_saves(dc, test::small_card("dc-card"), 1);
  const std::size_t save = dc.open(vmu)->saves[0].blocks[0] * 512;
  test::put_le(vmu, save + 0x40, 900, 2);
  test::put_le(vmu, save + 0x48, 0xFFFFFFF0, 4);
  EXPECT_TRUE(tells_of_a_save(*dc.open(vmu), "make no sense"));

  const CardLayout& ps1 = test::card_layout("ps1-card");
  Bytes card = with_saves(ps1, test::small_card("ps1-card"), 1);
  std::fill_n(card.begin() + 8192, 8192, std::byte{0});
  EXPECT_TRUE(tells_of_a_save(*ps1.open(card), "its first block is erased"));
  Bytes list = with_saves(ps1, test::small_card("ps1-card"), 1);
  std::fill_n(list.begin() + 16 * 128, 3 * 128, std::byte{0});
  EXPECT_TRUE(tells(ps1.validate(list), "names no save's frame"));
  const auto mended = mend(ps1, list);
  ASSERT_TRUE(mended);
  for (std::size_t frame = 16; frame < 19; ++frame)
    EXPECT_EQ(mended->bytes[frame * 128], std::byte{0xFF});
}

TEST(OddSmallCards, ARandomFormatTextDoesNotMakeAMemoryDoubled) {
  const CardLayout& layout = test::card_layout("saturn-bram");
  const Bytes good = with_saves(layout, test::small_card("saturn-bram"), 3);
  for (std::uint32_t round = 0; round < 60; ++round) {
    SCOPED_TRACE(round);
    test::Numbers numbers(round);
    Bytes bad = good;
    for (std::size_t i = 0; i < 64; ++i) bad[i] = static_cast<std::byte>(numbers());
    // One letter where the doubled form would have it.
    bad[1] = std::byte{'B'};
    expect_all_rescued(layout, good, bad);
  }
}

TEST(OddSmallCards, AFullMemoryWithoutItsLastZero) {
  const CardLayout& layout = test::card_layout("pce-bram");
  Bytes card = test::small_card("pce-bram");
  // 2,048 bytes less the header and the mark of two zeros.
  card = layout
             .change(card, {{},
                            {demo::pce_save("COBALT0001", 1000, 1),
                             demo::pce_save("COBALT0002", 2030 - 1016 - 16, 2)}})
             ->bytes;
  ASSERT_EQ(layout.open(card)->blocks_free, 0U);
  Bytes bad = card;
  bad[2046] = std::byte{0x55};
  bad[2047] = std::byte{0xAA};
  expect_all_rescued(layout, card, bad);
}

}  // namespace
}  // namespace bayswap
