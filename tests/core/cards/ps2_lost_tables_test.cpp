// ps2 cards whose allocation table, or the way to it, is lost: what the directories still say.
#include <gtest/gtest.h>

#include <cstdio>
#include <random>

#include "demo/card_makers.h"
#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

constexpr std::size_t kCluster = 1024;

std::uint32_t word(const Bytes& card, std::size_t at) {
  std::uint32_t value = 0;
  for (std::size_t i = 4; i-- > 0;) value = value << 8U | static_cast<unsigned char>(card[at + i]);
  return value;
}

// The same files, in whatever order.
bool same_files(const Save& one, const Save& other) {
  return one.parts.size() == other.parts.size() &&
         std::ranges::all_of(one.parts, [&](const Part& part) {
           const Part* there = other.part(part.name);
           return there != nullptr && there->data == part.data;
         });
}

// A card on which saves were put, dropped and put again.
Bytes used_card(const CardLayout& layout, std::mt19937& numbers, std::vector<Save>& saves) {
  Bytes card = *layout.format(8000);
  const auto change = [&](CardChange wanted) {
    auto changed = layout.change(card, wanted);
    ASSERT_TRUE(changed) << changed.error().text;
    card = std::move(changed->bytes);
  };
  for (unsigned i = 0; i < 4 + numbers() % 6; ++i) {
    char name[20];
    std::snprintf(name, sizeof name, "BASLUS-2%04uS%u", static_cast<unsigned>(numbers() % 10000),
                  i);
    Save save = demo::ps2_save(name, "Velvet Signal", "Day", 2000 + numbers() % 400'000, 0x80,
                               static_cast<std::uint32_t>(numbers()));
    CardChange put;
    put.put = {save};
    change(put);
    saves.push_back(std::move(save));
    if (numbers() % 4 == 0 && saves.size() > 2) {
      CardChange drop;
      const auto card_now = layout.open(card);
      const std::string gone = saves[saves.size() - 2].name;
      for (std::size_t k = 0; k < card_now->saves.size(); ++k)
        if (card_now->saves[k].save.name == gone) drop.drop = {k};
      change(drop);
      saves.erase(saves.end() - 2);
    }
  }
  return card;
}

TEST(Ps2LostTables, WhatTheDirectoriesSayIsRescuedByName) {
  const CardLayout& layout = test::card_layout("ps2-card");
  std::size_t whole = 0;
  std::size_t all = 0;
  const int rounds = test::rounds(80, 16);
  for (int round = 0; round < rounds; ++round) {
    SCOPED_TRACE(round);
    std::mt19937 numbers(static_cast<std::uint32_t>(round));
    std::vector<Save> saves;
    Bytes card = used_card(layout, numbers, saves);
    const std::uint32_t indirect = word(card, 0x50);
    const auto wipe = [&](std::uint32_t cluster, unsigned filler) {
      std::fill_n(card.begin() + static_cast<std::ptrdiff_t>(cluster * kCluster), kCluster,
                  static_cast<std::byte>(filler));
    };
    const unsigned filler = numbers() % 2 == 0 ? 0x00 : 0xFF;
    switch (numbers() % 4) {
      case 0: wipe(indirect, filler); break;
      case 1:
        for (std::size_t i = 0; i < 4; ++i) card[0x50 + i] = static_cast<std::byte>(numbers());
        break;
      case 2: {
        // Some parts of the table, chosen by chance.
        for (unsigned i = 0; i < 12; ++i)
          if (numbers() % 3 == 0) wipe(word(card, indirect * kCluster + i * 4), filler);
        break;
      }
      default:
        for (unsigned i = 0; i < 32; ++i) wipe(word(card, indirect * kCluster + i * 4), filler);
    }
    const auto mended = mend(layout, card);
    ASSERT_TRUE(mended) << mended.error().text;
    EXPECT_TRUE(layout.validate(mended->bytes).empty());
    const auto there = layout.open(mended->bytes);
    ASSERT_TRUE(there);
    for (const Save& save : saves) {
      ++all;
      const auto found = std::ranges::find_if(
          there->saves, [&](const CardSave& on_card) { return on_card.save.name == save.name; });
      const auto told = std::ranges::find_if(
          mended->saves, [&](const Rescue& rescue) { return rescue.save.name == save.name; });
      ASSERT_NE(told, mended->saves.end()) << save.name << " is named";
      if (found != there->saves.end() && same_files(found->save, save)) {
        ++whole;
        continue;
      }
      // Wrong bytes are never called whole.
      EXPECT_NE(told->state, RescueState::whole) << save.name;
    }
  }
  std::printf("%zu of %zu saves rescued whole\n", whole, all);
  EXPECT_GE(whole * 100, all * 97);
}

}  // namespace
}  // namespace bayswap
