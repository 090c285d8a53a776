// Damaged cards: nothing crashes or hangs, and mending never makes it worse.
#include <gtest/gtest.h>
#include <sys/resource.h>

#include "support/card_zoo.h"

namespace bayswap {
namespace {

class CardMutations : public testing::TestWithParam<std::string> {
 protected:
  void SetUp() override {
    test::Numbers numbers(99);
    good_ = test::small_card(GetParam());
    for (unsigned i = 0; i < 8; ++i) {
      const Save save = test::random_card_save(layout_, i, numbers);
      if (auto changed = layout_.change(good_, {{}, {save}})) good_ = std::move(changed->bytes);
    }
    auto card = layout_.open(good_);
    ASSERT_TRUE(card);
    // A hole in the middle makes chains that are put later lie scattered.
    if (auto changed = layout_.change(good_, {{card->saves.size() / 2}, {}}))
      good_ = std::move(changed->bytes);
    const Save last = test::random_card_save(layout_, 20, numbers);
    if (auto changed = layout_.change(good_, {{}, {last}})) good_ = std::move(changed->bytes);
    card = layout_.open(good_);
    for (CardSave& on_card : card->saves) saves_.push_back(std::move(on_card.save));
    ASSERT_GT(saves_.size(), 2U);
    for (const std::size_t at : structures()) ASSERT_LT(at, good_.size());
  }

  // Where the card's own structures lie: most damage is aimed at them.
  std::vector<std::size_t> structures() const {
    switch (layout_.info().system) {
      case System::ps1: return {0, 128, 256, 640, 1024, 8192};
      case System::ps2:
        return {0, 80, 8448, 9216, 9504, 17 * 1024, 18 * 1024, 19 * 1024, 20 * 1024};
      case System::gc: return {0, 0x22, 8192, 2 * 8192, 3 * 8192, 4 * 8192, 5 * 8192 - 4};
      case System::n64: return {0x20, 0x60, 0xC0, 0x100, 0x200, 0x300, 0x380};
      case System::dc:
        return {241 * 512, 253 * 512, 254 * 512, 254 * 512 + 250, 255 * 512, 190 * 512};
      case System::saturn:
        return good_.size() > 32768 ? std::vector<std::size_t>{0, 256, 350, 1000, 4000, 20000}
                                    : std::vector<std::size_t>{0, 128, 160, 400, 2000, 9000};
      case System::pce: return {0, 0x10, 300, 700, 1200};
      case System::x360: return {0x32C, 0x340, 0x379, 0xA000, 0xB000, 0xB200, 0xC000};
      default: return {0};
    }
  }

  Bytes mutated(test::Numbers& numbers) const {
    Bytes card = good_;
    const auto spots = structures();
    const unsigned changes = 1 + numbers() % 12;
    for (unsigned i = 0; i < changes; ++i) {
      std::size_t at = numbers() % 3 == 0 ? numbers() % card.size()
                                          : spots[numbers() % spots.size()] + numbers() % 300;
      if (at >= card.size()) at = card.size() - 1;
      const std::size_t length =
          std::min<std::size_t>(card.size() - at, 1 + numbers() % (numbers() % 20 == 0 ? 5000 : 8));
      const unsigned kind = numbers() % 4;
      for (std::size_t k = 0; k < length; ++k) {
        if (kind == 0) card[at + k] = std::byte{0};
        if (kind == 1) card[at + k] = std::byte{0xFF};
        if (kind == 2) card[at + k] = static_cast<std::byte>(numbers());
        if (kind == 3 && k == 0) card[at] ^= std::byte{1} << (numbers() % 8);
      }
    }
    if (numbers() % 12 == 0) card.resize(numbers() % (card.size() + 1));
    if (numbers() % 40 == 0) card.resize(card.size() + numbers() % 5000);
    return card;
  }

  // The saves of the good card that the damaged one still gives without a complaint.
  std::vector<const Save*> still_sound(const Card& card) const {
    std::vector<const Save*> sound;
    for (const Save& save : saves_)
      for (const CardSave& on_card : card.saves)
        if (on_card.findings.empty() && same_card_save(on_card.save, save)) {
          sound.push_back(&save);
          break;
        }
    return sound;
  }

  const CardLayout& layout_ = test::card_layout(GetParam());
  Bytes good_;
  std::vector<Save> saves_;
};

// What became of every save, for the message of a failure.
std::string told(const std::vector<Rescue>& saves) {
  std::string text;
  for (const Rescue& rescue : saves) {
    text += "\n  " + rescue.save.name + " " + std::string(to_string(rescue.state));
    for (const std::string& what : rescue.what) text += "; " + what;
  }
  return text;
}

bool was_renamed(const std::vector<Rescue>& saves, const std::string& name) {
  return std::any_of(saves.begin(), saves.end(), [&](const Rescue& rescue) {
    return rescue.save.name == name && !rescue.what.empty() &&
           rescue.what.back().starts_with("another save has its name");
  });
}

// A card that is read once for everything gives what it gives when it is read each time.
TEST_P(CardMutations, ReadOnceGiveTheSame) {
  const std::vector<std::string> names{saves_.front().name};
  for (int round = 0; round < test::rounds(40); ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round));
    const Bytes damaged = round == 0 ? good_ : mutated(numbers);
    const auto reading = layout_.reading(damaged);
    const auto listed = layout_.list(damaged, names);
    const auto again = reading->list(names);
    ASSERT_EQ(again.has_value(), listed.has_value()) << "round " << round;
    EXPECT_EQ(reading->validate(), layout_.validate(damaged)) << "round " << round;
    if (!listed) continue;
    EXPECT_EQ(again->findings, listed->findings);
    ASSERT_EQ(again->saves.size(), listed->saves.size());
    for (std::size_t i = 0; i < listed->saves.size(); ++i) {
      EXPECT_EQ(again->saves[i].blocks, listed->saves[i].blocks);
      EXPECT_TRUE(same_card_save(again->saves[i].save, listed->saves[i].save));
    }
    CardChange change{{}, {test::random_card_save(layout_, 25, numbers)}};
    if (!listed->saves.empty()) change.drop.push_back(numbers() % listed->saves.size());
    const auto changed = layout_.change(damaged, change);
    const auto once = reading->change(change);
    ASSERT_EQ(once.has_value(), changed.has_value()) << "round " << round;
    if (changed)
      EXPECT_EQ(once->bytes, changed->bytes) << "round " << round;
    else
      EXPECT_EQ(once.error().code, changed.error().code) << "round " << round;
  }
}

TEST_P(CardMutations, AreMendedNeverMadeWorse) {
  std::size_t mended_cards = 0;
  std::size_t rescued = 0;
  for (int round = 0; round < test::rounds(60); ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round));
    const Bytes damaged = mutated(numbers);
    (void)layout_.recognise(damaged, {});
    (void)layout_.validate(damaged);
    const auto card = layout_.open(damaged);
    if (card) {
      (void)layout_.change(damaged, {{}, {test::random_card_save(layout_, 25, numbers)}});
      if (!card->saves.empty())
        (void)layout_.change(damaged, {{numbers() % card->saves.size()}, {}});
    }
    const auto mended = mend(layout_, damaged);
    if (!mended) {
      EXPECT_FALSE(card && !still_sound(*card).empty())
          << "round " << round << ": " << mended.error().text;
      continue;
    }
    ++mended_cards;
    const Findings strict = layout_.validate(mended->bytes);
    ASSERT_TRUE(strict.empty()) << "round " << round << ": " << strict.front().text;
    const auto after = layout_.open(mended->bytes);
    ASSERT_TRUE(after);
    rescued += after->saves.size();
    if (!card) continue;
    for (const Save* save : still_sound(*card)) {
      bool there = false;
      for (const CardSave& on_card : after->saves) {
        // Where two entries bear one name, the second gets a number, and the report says so.
        Save named = on_card.save;
        if (was_renamed(mended->saves, named.name)) named.name = save->name;
        there = there || same_card_save(named, *save);
      }
      EXPECT_TRUE(there) << "round " << round << ": " << save->name << " was readable before"
                         << told(mended->saves);
    }
  }
  EXPECT_GT(mended_cards, 0U);
  EXPECT_GT(rescued, 0U);
  rusage usage{};
  ::getrusage(RUSAGE_SELF, &usage);
  std::printf("%s: %zu cards mended, %zu saves on them, peak memory %ld MiB\n", GetParam().c_str(),
              mended_cards, rescued, usage.ru_maxrss / 1024);
}

INSTANTIATE_TEST_SUITE_P(All, CardMutations, testing::ValuesIn(test::card_ids()),
                         [](const auto& info) {
                           std::string name = info.param;
                           std::replace(name.begin(), name.end(), '-', '_');
                           return name;
                         });

}  // namespace
}  // namespace bayswap
