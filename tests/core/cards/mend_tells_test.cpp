// Mending says what it could not save: never "0 of 0", never a thief that is called whole.
#include <gtest/gtest.h>

#include <algorithm>

#include "core/bytes/fill.h"
#include "support/card_zoo.h"

namespace bayswap {
namespace {

bool tells_of_loss(const Mended& mended) {
  return mended.unnamed || std::ranges::any_of(mended.saves, [](const Rescue& rescue) {
           return rescue.state != RescueState::whole && rescue.state != RescueState::repaired;
         });
}

Bytes card_with_saves(const CardLayout& layout, const std::string& id, unsigned count) {
  test::Numbers numbers(count);
  Bytes card = test::small_card(id);
  for (unsigned i = 0; i < count; ++i) {
    CardChange change;
    change.put.push_back(test::random_card_save(layout, i, numbers));
    if (const auto changed = layout.change(card, change)) card = changed->bytes;
  }
  return card;
}

void wipe(Bytes& card, std::size_t from, std::size_t size, std::byte value = std::byte{0}) {
  for (std::size_t at = from; at < std::min(card.size(), from + size); ++at) card[at] = value;
}

// Whatever part of the system area goes: every save is rescued as it was, or its loss is told.
TEST(MendTells, WhatIsNotOnTheNewCard) {
  for (const std::string& id : test::card_ids()) {
    if (id == "x360-package" || id == "segacd-bram") continue;
    const CardLayout& layout = test::card_layout(id);
    const Bytes sound = card_with_saves(layout, id, 3);
    const auto before = layout.open(sound);
    ASSERT_TRUE(before) << id;
    if (before->saves.empty()) continue;
    constexpr std::size_t kPiece = 0x200;
    const std::size_t area = std::min<std::size_t>(sound.size(), 0xC000);
    for (std::size_t from = 0; from < area; from += kPiece * test::step_of(12))
      for (const std::size_t size : {kPiece, std::size_t{0x2000}, std::size_t{0x4000}})
        for (const std::byte value : {std::byte{0}, std::byte{0xFF}}) {
          Bytes card = sound;
          wipe(card, from, size, value);
          // What leaves a sound card behind, with fewer saves, can't be told by anyone.
          if (card == sound || layout.validate(card).empty() || is_erased(card)) continue;
          // Nor that a save began where the memory of a saturn holds nothing but zeros now.
          if (layout.info().system == System::saturn && from == 0 && value == std::byte{0})
            continue;
          const auto mended = mend(layout, card);
          if (!mended) continue;  // said to be beyond rescue, which is an error
          const auto after = layout.open(mended->bytes);
          ASSERT_TRUE(after) << id;
          std::size_t whole = 0;
          for (const CardSave& old : before->saves)
            whole += std::ranges::any_of(
                         after->saves,
                         [&](const CardSave& now) { return same_card_save(now.save, old.save); })
                         ? 1U
                         : 0U;
          if (whole == before->saves.size()) continue;
          // A save whose own data was wiped can't be known to be wrong; the card's own areas can.
          const bool some_gone = after->saves.size() < before->saves.size();
          if (some_gone) {
            EXPECT_TRUE(tells_of_loss(*mended)) << id << " wiped from " << from << " for " << size;
          }
          if (after->saves.empty()) {
            EXPECT_TRUE(tells_of_loss(*mended)) << id << " from " << from << " for " << size;
          }
        }
  }
}

TEST(MendTells, OfAGcCardWithoutAnyDirectory) {
  const std::string id = "gc-card";
  const CardLayout& layout = test::card_layout(id);
  Bytes card = card_with_saves(layout, "gc-card", 3);
  wipe(card, 0x2000, 0x4000);
  const auto mended = mend(layout, card);
  ASSERT_TRUE(mended);
  // The map still tells where each lay; whose they are, nothing tells.
  ASSERT_EQ(mended->saves.size(), 3U);
  for (const Rescue& rescue : mended->saves) EXPECT_EQ(rescue.state, RescueState::damaged);
  EXPECT_TRUE(tells_of_loss(*mended));
  const auto before = layout.open(card_with_saves(layout, "gc-card", 3));
  const auto after = layout.open(mended->bytes);
  ASSERT_TRUE(after);
  ASSERT_EQ(after->saves.size(), 3U);
  for (std::size_t i = 0; i < 3; ++i)
    EXPECT_EQ(after->saves[i].save.parts, before->saves[i].save.parts);
}

TEST(MendTells, WhoIsTheVictimOfAWrongLink) {
  const std::string id = "gc-card";
  const CardLayout& layout = test::card_layout(id);
  const auto put = [&](Bytes card, const std::string& name, std::size_t blocks,
                       std::uint32_t seed) {
    Save save;
    save.system = System::gc;
    save.kind = Kind::card_save;
    save.name = name;
    save.game.code = "GKFE";
    save.game.maker = "7Q";
    save.parts.push_back({"data", test::random_bytes(blocks * 8192, seed), false, {}});
    CardChange change;
    change.put.push_back(save);
    return layout.change(card, change)->bytes;
  };
  Bytes card = put(put(test::small_card("gc-card"), "thief", 3, 1), "victim", 2, 2);
  const auto before = layout.open(card);
  ASSERT_EQ(before->saves.size(), 2U);
  // Both maps: the thief's first block (5) leads to the victim's first (8) instead of 6.
  for (const std::size_t map : {0x6000U, 0x8000U}) {
    ASSERT_EQ(card[map + 0x0B], std::byte{6});
    card[map + 0x0B] = std::byte{8};
    std::uint16_t sum = 0;
    std::uint16_t inverse = 0;
    for (std::size_t at = map + 4; at < map + 0x2000; at += 2) {
      const auto word = static_cast<std::uint16_t>(std::to_integer<unsigned>(card[at]) << 8U |
                                                   std::to_integer<unsigned>(card[at + 1]));
      sum = static_cast<std::uint16_t>(sum + word);
      inverse = static_cast<std::uint16_t>(inverse + static_cast<std::uint16_t>(~word));
    }
    if (sum == 0xFFFF) sum = 0;
    if (inverse == 0xFFFF) inverse = 0;
    card[map] = static_cast<std::byte>(sum >> 8U);
    card[map + 1] = static_cast<std::byte>(sum & 0xFFU);
    card[map + 2] = static_cast<std::byte>(inverse >> 8U);
    card[map + 3] = static_cast<std::byte>(inverse & 0xFFU);
  }
  const auto mended = mend(layout, card);
  ASSERT_TRUE(mended);
  for (const Rescue& rescue : mended->saves) {
    if (rescue.save.name == "victim") {
      EXPECT_EQ(rescue.state, RescueState::whole);
    }
    if (rescue.save.name == "thief") {
      EXPECT_NE(rescue.state, RescueState::whole);
    }
  }
  const auto after = layout.open(mended->bytes);
  ASSERT_TRUE(after);
  for (const CardSave& old : before->saves)
    EXPECT_TRUE(std::ranges::any_of(
        after->saves, [&](const CardSave& now) { return same_card_save(now.save, old.save); }))
        << old.save.name << ": its blocks lie loose behind it";
}

// A change that was made for another card is an error, and throws nothing.
TEST(StalePlaces, AreErrors) {
  for (const std::string& id : test::card_ids()) {
    const CardLayout& layout = test::card_layout(id);
    CardChange change;
    change.drop = {99'999};
    const auto changed = layout.change(test::small_card(id), change);
    ASSERT_FALSE(changed) << id;
    EXPECT_EQ(changed.error().code, Code::no_match) << id;
  }
}

// A superblock that claims two gigabytes costs no more than the file makes likely.
TEST(MendTells, NothingForWhatASuperblockClaims) {
  Bytes card = test::Ps2Golden(8192).card;
  card.resize(32U << 20U);
  for (const auto& [at, value] : {std::pair{0x30U, 0x200000U}, std::pair{0x38U, 0x1F0000U}})
    for (unsigned i = 0; i < 4; ++i)
      card[at + i] = static_cast<std::byte>(value >> (8 * i) & 0xFFU);
  const auto mended = mend(test::card_layout("ps2-card"), card);
  if (mended) {
    EXPECT_LE(mended->bytes.size(), 128U << 20U);
  }
}

}  // namespace
}  // namespace bayswap
