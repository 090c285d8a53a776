// Kinds of damage to a card, each of which the strict look must find.
#pragma once

#include <gtest/gtest.h>

#include <functional>

#include "support/card_zoo.h"

namespace bayswap::test {

using Damage = std::function<void(Bytes&)>;

struct Case {
  std::string name;
  Level level;
  Damage damage;
};

inline void expect_findings(const CardLayout& layout, const Bytes& sound,
                            const std::vector<Case>& cases) {
  ASSERT_TRUE(layout.validate(sound).empty());
  for (const Case& one : cases) {
    Bytes card = sound;
    one.damage(card);
    const Findings found = layout.validate(card);
    ASSERT_FALSE(found.empty()) << one.name;
    EXPECT_EQ(has_error(found), one.level == Level::error) << one.name << ": " << found[0].text;
    for (const Finding& finding : found) {
      EXPECT_FALSE(finding.text.empty()) << one.name;
      EXPECT_FALSE(finding.hint.empty()) << one.name;
    }
    // What the strict look finds, a look at the card tells as well.
    const auto read = examine(layout, card);
    if (!read) continue;
    Findings told = read->findings;
    for (const CardSave& on_card : read->saves)
      told.insert(told.end(), on_card.findings.begin(), on_card.findings.end());
    EXPECT_EQ(has_error(told), one.level == Level::error) << one.name;
    const auto mended = mend(layout, card);
    ASSERT_TRUE(mended) << one.name;
    EXPECT_TRUE(layout.validate(mended->bytes).empty()) << one.name;
  }
}

}  // namespace bayswap::test
