// ps1 cards against bytes assembled by hand.
#include <gtest/gtest.h>

#include "bayswap/card.h"
#include "bayswap/face.h"
#include "support/golden_cards.h"

namespace bayswap {
namespace {

using test::operator+;

const CardLayout& ps1_layout() {
  return *as_card(*find_layout("ps1-card"));
}

Bytes ps1_golden() {
  Bytes card = test::blank_ps1_card();
  test::add_ps1_save(card, "BASLUS-00417NIGHT", test::ps1_data(2, "Night", 1), {4, 1});
  test::add_ps1_save(card, "BESLES-00418FLOOR", test::ps1_data(1, "Floor", 2), {0});
  test::add_ps1_save(card, "BISLPS-00419GONE", test::ps1_data(3, "Gone", 3), {9, 7, 8}, 0xA1);
  return card;
}

TEST(Ps1Card, ReadsFragmentedAndDeletedSaves) {
  const auto card = ps1_layout().open(ps1_golden());
  ASSERT_TRUE(card);
  EXPECT_TRUE(card->findings.empty());
  ASSERT_EQ(card->saves.size(), 2U);
  EXPECT_EQ(card->blocks_total, 15U);
  EXPECT_EQ(card->blocks_free, 12U);
  const CardSave& floor = card->saves[0];
  EXPECT_EQ(floor.save.name, "BESLES-00418FLOOR");
  EXPECT_EQ(floor.save.game.serial, "SLES-00418");
  EXPECT_EQ(floor.save.game.region, Region::europe);
  const CardSave& night = card->saves[1];
  EXPECT_EQ(night.save.comment, "Night");
  EXPECT_EQ(night.blocks, (std::vector<std::uint32_t>{4, 1}));
  EXPECT_EQ(night.save.parts.at(0).data, test::ps1_data(2, "Night", 1));
  ASSERT_EQ(card->deleted.size(), 1U);
  EXPECT_EQ(card->deleted[0].save.parts.at(0).data, test::ps1_data(3, "Gone", 3));
  EXPECT_EQ(card->map[7].state, BlockState::deleted);
  EXPECT_EQ(card->map[4].state, BlockState::used);
  EXPECT_TRUE(ps1_layout().validate(ps1_golden()).empty());
}

TEST(Ps1Card, FormatsAsByHand) {
  const auto card = ps1_layout().format(15);
  ASSERT_TRUE(card);
  Bytes by_hand = test::blank_ps1_card();
  // The unused entries of the broken list, and the raw frames behind it, are free to choose.
  for (std::size_t frame = 16; frame < 63; ++frame)
    test::put(by_hand, frame * 128, test::part_of(*card, frame * 128, 128));
  EXPECT_EQ(*card, by_hand);
  EXPECT_FALSE(ps1_layout().format(14));
}

TEST(Ps1Card, PutsAndDropsByHand) {
  Bytes expected = ps1_golden();
  const auto card = ps1_layout().open(expected);
  ASSERT_TRUE(card);
  Save added = card->saves[0].save;
  added.name = "BASLUS-00417DAWN";
  added.parts[0].data = test::ps1_data(2, "Dawn", 5);
  const auto changed = ps1_layout().change(expected, {{1}, {added}});
  ASSERT_TRUE(changed) << changed.error().text;
  // NIGHT is marked deleted, and DAWN takes the first blocks that never held anything: 2 and 3.
  for (const auto& [block, state] : {std::pair{4U, 0xA1U}, {1U, 0xA3U}}) {
    test::put(expected, (block + 1) * 128, state);
    test::seal_ps1_frame(expected, block + 1);
  }
  test::add_ps1_save(expected, "BASLUS-00417DAWN", added.parts[0].data, {2, 3});
  EXPECT_EQ(changed->bytes, expected);
}

TEST(Ps1Card, TakesBrokenFramesFromTheirReplacements) {
  Bytes card = ps1_golden();
  const Bytes whole = test::ps1_data(1, "Floor", 2);
  const std::size_t broken = 64 + 5;  // frame 5 of block 1
  test::put_le(card, 17 * 128, broken, 4);
  test::seal_ps1_frame(card, 17);
  test::put(card, (36 + 1) * 128, test::part_of(whole, 5 * 128, 128));
  test::put(card, broken * 128, test::filled(128, 0x55));
  const auto read = ps1_layout().open(card);
  ASSERT_TRUE(read);
  EXPECT_EQ(read->saves[0].save.parts[0].data, whole);
  // A save that is written over the broken frame is written to its replacement as well.
  Save other = read->saves[0].save;
  other.parts[0].data = test::ps1_data(1, "Other", 9);
  const auto changed = ps1_layout().change(card, {{0}, {}});
  ASSERT_TRUE(changed);
  auto filled = changed->bytes;
  for (int i = 0; i < 13; ++i) {
    other.name = "BASLUS-00001N" + std::to_string(i);
    const auto next = ps1_layout().change(filled, {{}, {other}});
    if (!next) break;
    filled = next->bytes;
  }
  const auto again = ps1_layout().open(filled);
  ASSERT_TRUE(again);
  for (const CardSave& save : again->saves)
    if (save.save.name.starts_with("BASLUS-00001")) {
      EXPECT_EQ(save.save.parts[0].data, other.parts[0].data);
    }
}

TEST(Ps1Card, DecodesTitlesAndPictures) {
  Bytes data = test::ps1_data(1, "\x8e\x86\x82\xcc\x93\x56\x95\xb6\x91\xe4", 4);  // Shift-JIS
  test::put(data, 0x60, test::bytes({0, 0, 0x1F, 0, 0, 0x80, 0xE0, 0x03}));
  test::put(data, 0x80, test::bytes({0x10, 0x32}));
  Bytes card = test::blank_ps1_card();
  test::add_ps1_save(card, "BISLPS-00419X", data, {14});
  const auto read = ps1_layout().open(card);
  ASSERT_TRUE(read);
  EXPECT_EQ(read->saves.at(0).save.comment, "紙の天文台");
  const Face face = face_of(read->saves[0].save);
  ASSERT_EQ(face.pictures.size(), 2U);
  const Picture& icon = face.pictures[0];
  EXPECT_EQ(icon.width, 16U);
  EXPECT_EQ(icon.pixels[0].alpha, 0);
  EXPECT_EQ(icon.pixels[1], (Colour{255, 0, 0, 255}));
  EXPECT_EQ(icon.pixels[2], (Colour{0, 0, 0, 255}));
  EXPECT_EQ(icon.pixels[3], (Colour{0, 255, 0, 255}));
}

TEST(Ps1Card, SaysWhyItHasNoRoom) {
  const Bytes card = ps1_golden();
  const auto read = ps1_layout().open(card);
  Save large = read->saves[0].save;
  large.name = "BASLUS-00417LARGE";
  large.parts[0].data = test::ps1_data(13, "Large", 6);
  const auto changed = ps1_layout().change(card, {{}, {large}});
  ASSERT_FALSE(changed);
  EXPECT_EQ(changed.error().code, Code::no_room);
  EXPECT_NE(changed.error().text.find("1 missing"), std::string::npos) << changed.error().text;
  EXPECT_NE(changed.error().text.find("BISLPS-00419GONE"), std::string::npos);
  large.parts[0].data = test::ps1_data(12, "Large", 6);
  const auto fits = ps1_layout().change(card, {{}, {large}});
  ASSERT_TRUE(fits);
  EXPECT_TRUE(has_code(fits->notes, Code::purged));
  EXPECT_TRUE(ps1_layout().validate(fits->bytes).empty());
  large.name = "BESLES-00418FLOOR";
  large.parts[0].data = test::ps1_data(1, "x", 6);
  EXPECT_EQ(ps1_layout().change(card, {{}, {large}}).error().code, Code::name_taken);
}

TEST(Ps1Card, MendsWhatItCan) {
  const Bytes sound = ps1_golden();
  const auto mended_saves = [&](const Bytes& damaged) {
    auto result = mend(ps1_layout(), damaged);
    EXPECT_TRUE(result);
    EXPECT_TRUE(ps1_layout().validate(result->bytes).empty());
    return std::move(*result);
  };
  EXPECT_TRUE(mended_saves(sound).unchanged);
  EXPECT_EQ(mended_saves(sound).bytes, sound);

  Bytes header = sound;
  test::put(header, 0, test::filled(128, 0xAA));
  EXPECT_EQ(mended_saves(header).bytes, sound) << "repaired in place, deleted saves and all";

  // The chain of NIGHT runs in a loop.
  Bytes loop = sound;
  test::put_le(loop, (1 + 1) * 128 + 8, 4, 2);
  test::put(loop, (1 + 1) * 128, 0x52);
  test::seal_ps1_frame(loop, 2);
  Mended from_loop = mended_saves(loop);
  ASSERT_EQ(from_loop.saves.size(), 2U);
  EXPECT_EQ(from_loop.saves[1].state, RescueState::repaired);
  EXPECT_EQ(ps1_layout().open(from_loop.bytes)->saves[1].save.parts[0].data,
            test::ps1_data(2, "Night", 1));

  // FLOOR's directory frame is gone: its own magic finds it.
  Bytes orphan = sound;
  test::put(orphan, 128, test::filled(128, 0));
  Mended found = mended_saves(orphan);
  ASSERT_EQ(found.saves.size(), 2U);
  EXPECT_EQ(found.saves[0].save.parts[0].data, test::ps1_data(1, "Floor", 2));

  // Two saves claim block 2: the one whose chain ends right keeps it.
  Bytes crossed = sound;
  test::put_le(crossed, 128 + 8, 1, 2);
  test::seal_ps1_frame(crossed, 1);
  Mended uncrossed = mended_saves(crossed);
  EXPECT_EQ(uncrossed.saves[0].state, RescueState::repaired);
  EXPECT_EQ(uncrossed.saves[1].state, RescueState::whole);

  // Cut behind block 3: NIGHT is lost, FLOOR is not.
  const Mended cut = mended_saves(test::part_of(sound, 0, 4 * 8192));
  EXPECT_EQ(cut.saves[0].state, RescueState::whole);
  EXPECT_EQ(cut.saves[1].state, RescueState::lost);
  EXPECT_FALSE(cut.saves[1].what.empty());
}

TEST(Ps1Single, ReadsAndWritesExactly) {
  const Bytes data = test::ps1_data(2, "Night", 1);
  Bytes frame = test::filled(128, 0);
  test::put(frame, 0, 0x51);
  test::put_le(frame, 4, data.size(), 4);
  test::put_le(frame, 8, 3, 2);  // ignored when reading
  test::put(frame, 10, "BASLUS-00417NIGHT");
  test::seal_ps1_frame(frame, 0);
  const Bytes file = frame + data;
  const Layout& single = **find_layout("ps1-single");
  EXPECT_EQ(identify(file, {}).front().layout, &single);
  const auto content = single.read(file, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(single.write({content->saves, std::nullopt, {}})->bytes, file);
  const Layout& raw = **find_layout("ps1-single-raw");
  const auto bare = raw.write({content->saves, std::nullopt, {}});
  ASSERT_TRUE(bare);
  EXPECT_EQ(bare->bytes, data);
  Hints hints;
  hints.file_name = "BASLUS-00417NIGHT.bin";
  EXPECT_EQ(identify(data, hints).front().layout, &raw);
  EXPECT_EQ(raw.read(data, hints)->saves.at(0).name, "BASLUS-00417NIGHT");
}

TEST(Relabelling, ChangesPrefixAndSerialOnly) {
  const auto card = ps1_layout().open(ps1_golden());
  const auto labelled = relabelled(card->saves[1].save, "SLES-12345");
  ASSERT_TRUE(labelled);
  EXPECT_EQ(labelled->name, "BESLES-12345NIGHT");
  EXPECT_EQ(labelled->game.region, Region::europe);
  EXPECT_EQ(labelled->parts, card->saves[1].save.parts);
  EXPECT_FALSE(relabelled(card->saves[1].save, "ABCP"));
  const auto put = ps1_layout().change(ps1_golden(), {{}, {*labelled}});
  ASSERT_TRUE(put);
  EXPECT_TRUE(find_on_card(ps1_layout().open(put->bytes)->saves, "SLES-12345"));
}

}  // namespace
}  // namespace bayswap
