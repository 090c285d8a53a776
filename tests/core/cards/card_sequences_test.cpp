// Random sequences of put, take and drop on every card, held against a plain list in memory.
#include <gtest/gtest.h>

#include <map>

#include "support/card_zoo.h"

namespace bayswap {
namespace {

using test::rounds;

class CardSequences : public testing::TestWithParam<std::string> {
 protected:
  const CardLayout& layout_ = test::card_layout(GetParam());
};

struct Model {
  std::map<std::string, Save> saves;

  static std::uint64_t used(const Card& card) {
    std::uint64_t blocks = 0;
    for (const CardSave& save : card.saves) blocks += save.block_count;
    return blocks;
  }
};

// The card holds just what the model holds.
void compare(const CardLayout& layout, const Bytes& card, const Model& model) {
  const Findings strict = layout.validate(card);
  ASSERT_TRUE(strict.empty()) << strict.front().text;
  const auto read = layout.open(card);
  ASSERT_TRUE(read);
  ASSERT_TRUE(read->findings.empty()) << read->findings.front().text;
  ASSERT_EQ(read->saves.size(), model.saves.size());
  for (const CardSave& on_card : read->saves) {
    ASSERT_TRUE(on_card.findings.empty()) << on_card.findings.front().text;
    const auto known = model.saves.find(layout.identity(on_card.save));
    ASSERT_NE(known, model.saves.end()) << on_card.save.name;
    ASSERT_TRUE(same_card_save(on_card.save, known->second)) << on_card.save.name;
  }
  std::uint64_t free = 0;
  for (const BlockUse& use : read->map)
    if (use.state == BlockState::free || use.state == BlockState::deleted) ++free;
  ASSERT_EQ(free, read->blocks_free);
  ASSERT_LE(model.used(*read) + read->blocks_free, std::uint64_t{read->blocks_total} + 1);
}

void step(const CardLayout& layout, Bytes& card, Model& model, test::Numbers& numbers) {
  const auto read = layout.open(card);
  ASSERT_TRUE(read);
  const unsigned choice = numbers() % 8;
  if (choice < 5) {
    const Save save = test::random_card_save(layout, numbers() % 30, numbers);
    const bool taken = model.saves.contains(layout.identity(save));
    const auto changed = layout.change(card, {{}, {save}});
    if (taken) {
      ASSERT_FALSE(changed);
      EXPECT_EQ(changed.error().code, Code::name_taken);
      return;
    }
    if (!changed) {
      ASSERT_EQ(changed.error().code, Code::no_room) << changed.error().text;
      // A dc card has one place for a game, whatever else is free.
      const std::string& text = changed.error().text;
      ASSERT_TRUE(text.find("missing") != std::string::npos ||
                  text.find("is a game") != std::string::npos)
          << text;
      return;
    }
    card = changed->bytes;
    model.saves[layout.identity(save)] = save;
  } else if (!read->saves.empty()) {
    // One or two at once.
    std::vector<std::size_t> drop{numbers() % read->saves.size()};
    const std::size_t other = numbers() % read->saves.size();
    if (choice == 7 && other != drop[0]) drop.push_back(other);
    const auto changed = layout.change(card, {drop, {}});
    ASSERT_TRUE(changed) << changed.error().text;
    for (const std::size_t place : drop)
      model.saves.erase(layout.identity(read->saves[place].save));
    card = changed->bytes;
    // What was dropped last can still be read, where the card keeps enough of it.
    const auto after = layout.open(card);
    const System system = layout.info().system;
    if (system == System::ps1 || system == System::ps2 || system == System::saturn) {
      bool found = false;
      for (const CardSave& gone : after->deleted)
        found = found || same_card_save(gone.save, read->saves[drop[0]].save);
      EXPECT_TRUE(found) << read->saves[drop[0]].save.name;
    }
  }
}

TEST_P(CardSequences, KeepWhatTheyShould) {
  for (int round = 0; round < rounds(25); ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round));
    Bytes card = test::small_card(GetParam());
    Model model;
    for (int i = 0; i < 12; ++i) {
      step(layout_, card, model, numbers);
      if (HasFatalFailure()) FAIL() << "round " << round << " step " << i;
      compare(layout_, card, model);
      if (HasFatalFailure()) FAIL() << "round " << round << " step " << i;
    }
  }
}

class CardSingles : public CardSequences {};

// Saves go to a card, out as single files, and onto another card, and stay the same.
TEST_P(CardSingles, CarryEverything) {
  const auto single = find_layout(layout_.card_info().single_layout);
  ASSERT_TRUE(single);
  test::Numbers numbers(5);
  for (int round = 0; round < 10; ++round) {
    Save save = test::random_card_save(layout_, 1, numbers);
    std::erase_if(save.parts,
                  [](const Part& part) { return part.name.find('/') != std::string::npos; });
    const auto card = layout_.change(test::small_card(GetParam()), {{}, {save}});
    ASSERT_TRUE(card);
    const Save on_card = layout_.open(card->bytes)->saves.at(0).save;
    const auto file = (*single)->write({std::span(&on_card, 1), std::nullopt, {}});
    ASSERT_TRUE(file);
    EXPECT_EQ(identify(file->bytes, {}).front().layout, *single);
    Hints hints;
    hints.second_file = file->second_file;
    const auto again = (*single)->read(file->bytes, hints);
    ASSERT_TRUE(again);
    EXPECT_TRUE(again->findings.empty());
    EXPECT_TRUE(same_card_save(again->saves.at(0), save));
    EXPECT_EQ((*single)->write({again->saves, std::nullopt, {}})->bytes, file->bytes);
    const auto other = layout_.change(test::small_card(GetParam()), {{}, {again->saves.at(0)}});
    ASSERT_TRUE(other);
    EXPECT_TRUE(layout_.validate(other->bytes).empty());
    const Save moved = layout_.open(other->bytes)->saves.at(0).save;
    EXPECT_TRUE(same_card_save(moved, save));
    EXPECT_EQ(moved.modified, on_card.modified);
  }
}

std::string test_name(const testing::TestParamInfo<std::string>& info) {
  std::string name = info.param;
  std::replace(name.begin(), name.end(), '-', '_');
  return name;
}

// The files of a package are plain and need no form of their own.
std::vector<std::string> ids_with_singles() {
  std::vector<std::string> ids = test::card_ids();
  std::erase_if(ids, [](const std::string& id) { return is_package(&test::card_layout(id)); });
  return ids;
}

INSTANTIATE_TEST_SUITE_P(All, CardSequences, testing::ValuesIn(test::card_ids()), test_name);
INSTANTIATE_TEST_SUITE_P(All, CardSingles, testing::ValuesIn(ids_with_singles()), test_name);

}  // namespace
}  // namespace bayswap
