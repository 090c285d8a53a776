// The strict look finds every kind of damage, and says nothing about sound cards.
#include <gtest/gtest.h>

#include "support/card_damage.h"

namespace bayswap {
namespace {

using test::expect_findings;

TEST(CardValidators, Ps1) {
  Bytes card = test::blank_ps1_card();
  test::add_ps1_save(card, "BASLUS-00417A", test::ps1_data(3, "A", 1), {0, 5, 2});
  test::add_ps1_save(card, "BASLUS-00417B", test::ps1_data(1, "B", 2), {1});
  const auto sealed = [](std::size_t frame, std::size_t at, unsigned value, std::size_t width) {
    return [=](Bytes& bytes) {
      test::put_le(bytes, frame * 128 + at, value, width);
      test::seal_ps1_frame(bytes, frame);
    };
  };
  expect_findings(
      test::card_layout("ps1-card"), card,
      {{"magic", Level::error, [](Bytes& bytes) { test::put(bytes, 0, "XX"); }},
       {"check of a frame", Level::error, [](Bytes& bytes) { test::put(bytes, 128 + 20, 0x77); }},
       {"check of a free frame", Level::error,
        [](Bytes& bytes) { test::put(bytes, 9 * 128 + 60, 1); }},
       {"frame 63", Level::warn, [](Bytes& bytes) { test::put(bytes, 63 * 128 + 5, 1); }},
       {"list of broken frames", Level::warn,
        [](Bytes& bytes) { test::put(bytes, 20 * 128 + 50, 1); }},
       {"a listed frame", Level::error, [](Bytes& bytes) { test::put(bytes, 20 * 128, 0x45); }},
       {"chain out of the card", Level::error, sealed(1, 8, 77, 2)},
       {"loop", Level::error, sealed(6, 8, 0, 2)},
       {"crossing", Level::error, sealed(2, 8, 5, 2)},
       {"length", Level::error, sealed(1, 4, 8192, 4)},
       {"no last block", Level::error, sealed(3, 0, 0x52, 4)},
       {"stray block", Level::warn, sealed(11, 0, 0x52, 4)},
       {"cut", Level::error, [](Bytes& bytes) { bytes.resize(100'000); }}});
}

TEST(CardValidators, Gc) {
  test::GcSave a;
  a.code = "GKFE";
  a.maker = "7Q";
  a.name = "a";
  a.data = test::random_bytes(2 * 8192, 1);
  a.blocks = {7, 5};
  test::GcSave b = a;
  b.name = "b";
  b.blocks = {9, 8};
  const Bytes card = test::gc_card(59, {a, b});
  const auto both_maps = [](std::size_t at, unsigned value) {
    return [=](Bytes& bytes) {
      for (const std::size_t map : {3U, 4U}) {
        test::put_be(bytes, map * 8192 + at, value, 2);
        test::seal_gc(bytes, map * 8192 + 4, (map + 1) * 8192, map * 8192);
      }
    };
  };
  const auto both_directories = [](std::size_t at, unsigned value, std::size_t width) {
    return [=](Bytes& bytes) {
      for (const std::size_t copy : {1U, 2U}) {
        test::put_be(bytes, copy * 8192 + at, value, width);
        test::seal_gc(bytes, copy * 8192, copy * 8192 + 0x1FFC, copy * 8192 + 0x1FFC);
      }
    };
  };
  expect_findings(
      test::card_layout("gc-card"), card,
      {{"header", Level::error, [](Bytes& bytes) { test::put(bytes, 4, 9); }},
       {"one directory", Level::warn, [](Bytes& bytes) { test::put(bytes, 8192 + 1, 9); }},
       {"one map", Level::warn, [](Bytes& bytes) { test::put(bytes, 4 * 8192 + 99, 9); }},
       {"both maps", Level::error,
        [](Bytes& bytes) {
          test::put(bytes, 3 * 8192 + 99, 9);
          test::put(bytes, 4 * 8192 + 99, 9);
        }},
       {"free count", Level::error, both_maps(6, 11)},
       {"broken chain", Level::error, both_maps(0x0A + 2 * 2, 0)},
       {"chain out of the card", Level::error, both_maps(0x0A + 2 * 2, 500)},
       {"loop", Level::error, both_maps(0x0A, 7)},
       {"block count", Level::error, both_directories(0x38, 1, 2)},
       {"one name twice", Level::error, both_directories(64 + 8, 'a', 1)},
       {"entry of nonsense", Level::error, both_directories(2 * 64, 0x01020304, 4)},
       {"cut", Level::error, [](Bytes& bytes) { bytes.resize(300'000); }}});
}

TEST(CardValidators, Ps2) {
  test::Ps2Golden golden(2048);
  golden.add("BASLUS-20999A",
             {{"icon.sys", test::icon_sys("A", "")}, {"data", test::random_bytes(4000, 1)}}, 1);
  golden.add("BASLUS-20999B", {{"data", test::random_bytes(3000, 2)}}, 50);
  const auto le = [](std::size_t at, unsigned value, std::size_t width) {
    return [=](Bytes& bytes) { test::put_le(bytes, at, value, width); };
  };
  // Clusters of A: 1 and 2 its directory, 3 icon.sys, 4 to 7 data. Of B: 50 and 51, 52 to 54.
  expect_findings(test::card_layout("ps2-card"), golden.card,
                  {{"chain cut", Level::error, le(golden.fat(5), 0x7FFFFFFF, 4)},
                   {"chain short", Level::error, le(golden.fat(5), 0xFFFFFFFF, 4)},
                   {"loop", Level::error, le(golden.fat(7), 0x80000004, 4)},
                   {"crossing", Level::error, le(golden.fat(54), 0x80000006, 4)},
                   {"chain out of the card", Level::error, le(golden.fat(52), 0x8000FFFF, 4)},
                   {"stray cluster", Level::warn, le(golden.fat(99), 0xFFFFFFFF, 4)},
                   {"length of a file", Level::error, le(golden.at(2) + 512 + 4, 9000, 4)},
                   {"a name gone", Level::error, le(golden.at(51) + 0x40, 0, 4)},
                   {"own place", Level::warn, le(golden.at(50) + 0x14, 77, 4)},
                   {"directory of nothing", Level::error,
                    [&](Bytes& bytes) { test::put(bytes, golden.at(50), test::filled(1024, 0)); }},
                   {"backup block", Level::error, le((2048 / 8 - 2) * 8 * 1024, 0x1234, 4)},
                   {"cut", Level::error, [](Bytes& bytes) { bytes.resize(1'500'000); }}});
}

TEST(CardValidators, Ps2SpareBytes) {
  test::Ps2Golden golden(2048);
  golden.add("BASLUS-20999A", {{"data", test::random_bytes(4000, 1)}}, 1);
  const std::size_t page = golden.at(4) / 512 * 528;
  expect_findings(
      test::card_layout("ps2-card-ecc"), test::with_spare(golden.card),
      {{"a bit of the data", Level::warn, [=](Bytes& bytes) { bytes[page + 300] ^= std::byte{4}; }},
       {"a bit of the code", Level::warn,
        [=](Bytes& bytes) { bytes[page + 512 + 4] ^= std::byte{1}; }},
       {"two bits", Level::error, [=](Bytes& bytes) {
          bytes[page + 300] ^= std::byte{4};
          bytes[page + 310] ^= std::byte{4};
        }}});
}

// Every validator accepts what every writer makes, over all capacities.
TEST(CardValidators, AcceptNewCardsOfEverySize) {
  for (const std::string& id : test::card_ids()) {
    const CardLayout& layout = test::card_layout(id);
    if (layout.card_info().package) continue;  // only games make them
    for (const std::uint32_t blocks : layout.card_info().capacities) {
      const auto card = layout.format(blocks);
      ASSERT_TRUE(card) << id;
      EXPECT_TRUE(layout.validate(*card).empty()) << id << " " << blocks;
      const auto read = layout.open(*card);
      ASSERT_TRUE(read) << id;
      EXPECT_EQ(read->blocks_total, blocks) << id;
      EXPECT_EQ(read->blocks_free, blocks) << id;
      EXPECT_EQ(identify(*card, {}).front().layout, &layout) << id;
      EXPECT_EQ(identify(*card, {}).front().confidence, Confidence::certain) << id;
    }
    EXPECT_EQ(layout.format(7).error().code, Code::wrong_size) << id;
  }
}

// A card reads and writes itself exactly, whatever is wrong with it.
TEST(CardValidators, WritingBackWhatWasReadIsExact) {
  for (const std::string& id : test::card_ids()) {
    const CardLayout& layout = test::card_layout(id);
    Bytes card = test::small_card(id);
    test::Numbers numbers(3);
    for (unsigned i = 0; i < 3; ++i)
      card = layout.change(card, {{}, {test::random_card_save(layout, i, numbers)}})->bytes;
    for (int round = 0; round < 30; ++round) {
      Bytes damaged = card;
      for (int k = 0; k < 5; ++k)
        damaged[numbers() % std::min<std::size_t>(damaged.size(), 20'000)] =
            static_cast<std::byte>(numbers() & 0xFFU);
      const auto content = layout.read(damaged, {});
      if (!content) continue;
      const auto written = layout.write({content->saves, ByteView(damaged), {}});
      ASSERT_TRUE(written) << id << ": " << written.error().text;
      EXPECT_EQ(written->bytes, damaged) << id;
    }
  }
}

}  // namespace
}  // namespace bayswap
