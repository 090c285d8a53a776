// Words, numbers and slots in paths.
#include "places/path_words.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "bayswap/naming.h"
#include "core/layouts/x360/x360_folder.h"
#include "core/naming/tags.h"
#include "places/shelf_patterns.h"
#include "places/slot_shelves.h"
#include "support/card_zoo.h"

namespace bayswap {
namespace {

TEST(WithField, OpensWholeWordsOutsideOfFields) {
  EXPECT_EQ(with_field("data/BTOP/{stem}.sav", "BTOP", "code"), "data/{code}/{stem}.sav");
  EXPECT_EQ(with_field("[BTOP] {stem} BTOP", "BTOP", "code"), "[{code}] {stem} {code}");
  EXPECT_EQ(with_field("BTOP2/XBTOP/{stem}_BTOP.BTOP", "BTOP", "code"),
            "BTOP2/XBTOP/{stem}_{code}.{code}");
  EXPECT_EQ(with_field("{stem}/{region:lower}/stem", "stem", "title"),
            "{stem}/{region:lower}/{title}");
  EXPECT_EQ(with_field("{{stem}}/{stem}", "stem", "title"), "{{{title}}}/{stem}");
  EXPECT_EQ(with_field("", "BTOP", "code"), "");
}

TEST(HasWords, LooksForFourLettersOutsideOfFields) {
  EXPECT_TRUE(has_words("data/{stem}.sav"));
  EXPECT_TRUE(has_words("{stem}.2026"));
  EXPECT_FALSE(has_words("s12/{stem:upper}.sav"));
  EXPECT_FALSE(has_words("{title_id}"));
  EXPECT_FALSE(has_words(""));
}

TEST(WithAWordOpen, OpensEachStretchButTheExtension) {
  using Patterns = std::vector<std::string>;
  EXPECT_EQ(with_a_word_open("data/x y/{stem}.sav"),
            (Patterns{"…/x y/{stem}.sav", "data/…/{stem}.sav"}));
  EXPECT_EQ(with_a_word_open("{stem} (1).sav"), Patterns{"{stem}…"});
  EXPECT_EQ(with_a_word_open("a-{stem}/b"), (Patterns{"…{stem}/b", "a-{stem}/…"}));
  EXPECT_TRUE(with_a_word_open("{stem}.sav").empty());
  EXPECT_TRUE(with_a_word_open("").empty());
}

TEST(WordOfPath, IsTheLongestWholeOneNearestToTheFile) {
  const std::set<std::string, std::less<>> known{"Tin", "Tin Orchard", "Orchard", "saves"};
  const auto word = [&](const std::string& path) {
    return word_of_path(path, [&](std::string_view text) { return known.contains(text); });
  };
  EXPECT_EQ(word("saves/Tin Orchard.sav"), "Tin Orchard");
  EXPECT_EQ(word("Tin/keep.dat"), "Tin");
  EXPECT_EQ(word("Tin/Orchard.dat"), "Orchard") << "the file name says more";
  EXPECT_EQ(word("Tiny/keep.dat"), "") << "no part of a word";
  EXPECT_EQ(word("Tin2.sav"), "");
  EXPECT_EQ(word("Tin_2.sav"), "Tin");
  EXPECT_EQ(word(""), "");
}

TEST(ShelfPatterns, LeaveOpenWhatDiffers) {
  EXPECT_EQ(label_pattern("saves/{x}/my SAVE01.mcs", "SAVE01"), "saves/{{x}}/my {label}.mcs");
  EXPECT_EQ(label_pattern("SAVE01/SAVE01", "SAVE01"), "SAVE01/{label}") << "the last one";
  Game game;
  game.title_id = "0000000058454d4f";
  EXPECT_EQ(content_pattern("Content/E00001234567ABCD/58454D4F/00000001/Save", game),
            "Content/{profile:upper}/{title_id:low:upper}/00000001/{label}");
  EXPECT_EQ(content_pattern("Save", game), "{label}");
  EXPECT_EQ(with_tags_as_stem("s/{title} (1993)(Maker).st"), "s/{stem}.st");
  EXPECT_EQ(with_tags_as_stem("s/{title} (3).st"), "s/{title} (3).st") << "a slot";
  EXPECT_EQ(with_tags_as_stem("s/{title} (3"), "s/{title} (3") << "never closed";
  EXPECT_EQ(with_tags_as_stem("{title} [a]/{title}"), "{stem}/{title}");
}

TEST(NumberedPath, TakesApartAndPutsTogether) {
  const NumberedPath path = numbered_path("a1/{stem}.{{7}} x02");
  EXPECT_EQ(path.numbers, (std::vector<std::string>{"1", "7", "02"}));
  EXPECT_EQ(path.texts, (std::vector<std::string>{"a", "/{stem}.{{", "}} x", ""}));
  EXPECT_EQ(with_slot(path, 2, "{slot:pad 2}"), "a1/{stem}.{{7}} x{slot:pad 2}");
  EXPECT_EQ(with_slot(path, 99, "{slot}"), "a1/{stem}.{{7}} x02") << "no opening, as it was";
  EXPECT_EQ(with_slot(numbered_path("{title_id:low}"), 0, "{slot}"), "{title_id:low}");
}

TEST(NumberedPath, GivesBackEveryPattern) {
  test::Numbers numbers(4);
  const std::vector<std::string> pieces{"a", "12", "0",  "{stem}", "{{",          "}}",
                                        "/", ".",  "Ü9", "x",      "{slot:pad 3}"};
  for (int round = 0; round < 2000; ++round) {
    std::string pattern;
    for (std::uint32_t count = numbers() % 8; count > 0; --count)
      pattern += pieces[numbers() % pieces.size()];
    const NumberedPath path = numbered_path(pattern);
    EXPECT_EQ(path.texts.size(), path.numbers.size() + 1);
    EXPECT_EQ(with_slot(path, path.numbers.size(), "never"), pattern);
  }
}

TEST(SlotField, TellsFormsApart) {
  EXPECT_EQ(slot_field({"0", "1", "12"}), "{slot}");
  EXPECT_EQ(slot_field({"00", "01", "12"}), "{slot:pad 2}");
  EXPECT_EQ(slot_field({"", "1", "2"}), "{slot:first }");
  EXPECT_EQ(slot_field({"", "01", "02"}), "{slot:pad 2:first }");
  EXPECT_EQ(slot_field({"10", "11"}), "{slot}");
  EXPECT_EQ(slot_field({"", "0"}), "") << "two first slots";
  EXPECT_EQ(slot_field({"0", "9", "a", "b"}), "{slot:letters a}");
  EXPECT_EQ(slot_field({"8", "9", "A", "C"}), "{slot:letters A}");
  EXPECT_EQ(slot_field({"1", "2", "t"}), "{slot:first t}");
  EXPECT_EQ(slot_field({"s1", "s9", "10"}), "{slot:tens s}");
  EXPECT_EQ(slot_field({"st", "s1", "12"}), "{slot:tens s:first st}");
  EXPECT_EQ(slot_field({"1", "02"}), "") << "two forms at once";
  EXPECT_EQ(slot_field({"20261123"}), "") << "a date is not a slot";
  EXPECT_EQ(slot_field({""}), "");
  EXPECT_EQ(slot_field({}), "");
}

// Whatever the form, the learned pattern leads from each file back to its slot.
TEST(SlotField, LeadsBackToEverySlot) {
  test::Numbers numbers(9);
  for (int round = 0; round < 500; ++round) {
    const std::size_t width = numbers() % 4;
    const bool nameless = numbers() % 2 == 0;
    std::set<std::string> texts;
    std::set<std::string> slots;
    for (std::uint32_t count = 1 + numbers() % 6; count > 0; --count) {
      const std::uint32_t slot = (nameless ? 1 : 0) + numbers() % 9;
      std::string text = std::to_string(slot);
      while (text.size() < width) text.insert(0, 1, '0');
      texts.insert(text);
      slots.insert(std::to_string(slot));
    }
    if (nameless) {
      texts.insert("");
      slots.insert("0");
    }
    const std::string field = slot_field(texts);
    ASSERT_FALSE(field.empty());
    const auto pattern = NamingPattern::parse("s/{stem}.st" + field);
    ASSERT_TRUE(pattern) << field << ": " << pattern.error().text;
    std::set<std::string> found;
    for (const std::string& text : texts) {
      const auto fields = pattern->match("s/Tin Orchard.st" + text);
      ASSERT_TRUE(fields) << field << " " << text;
      EXPECT_EQ(fields->at("stem"), "Tin Orchard");
      EXPECT_EQ(*pattern->build(*fields), "s/Tin Orchard.st" + text);
      found.insert(fields->at("slot"));
    }
    EXPECT_EQ(found, slots);
  }
}

SlotFile state(const std::string& pattern, bool sure = true) {
  return {pattern, System::snes, {}, sure};
}

TEST(SlotShelves, StatesThatDifferInOneNumberAreOneShelf) {
  const auto shelves = shelves_of_states(
      {state("q/{stem}.st1"), state("q/{stem}.st3"), state("q/{stem}.st"), state("{stem}.auto")});
  ASSERT_EQ(shelves.size(), 2U);
  EXPECT_EQ(shelves[0].pattern, "q/{stem}.st{slot:first }");
  EXPECT_EQ(shelves[0].files.size(), 3U);
  EXPECT_EQ(shelves[1].pattern, "{stem}.auto");
}

TEST(SlotShelves, WhatOnlyItsSizeSpeaksForNeedsASecondFile) {
  EXPECT_TRUE(shelves_of_states({state("{stem}.mp3", false)}).empty());
  EXPECT_EQ(shelves_of_states({state("{stem}.q1", false), state("{stem}.q2", false)}).size(), 1U);
  EXPECT_TRUE(shelves_of_states({state("{stem}.1.2", false), state("{stem}.3.4", false)}).empty())
      << "two numbers differ: which of them is the slot cannot be told";
}

TEST(SlotShelves, CardsShareAShelfOnlyWithTheirLike) {
  const SlotFile one{"m/Card 1.bin", System::ps1, "ps1-card", true};
  const SlotFile two{"m/Card 2.bin", System::ps1, "ps1-card", true};
  const SlotFile other{"m/Card 3.bin", System::ps2, "ps2-card", true};
  const auto shelves = shelves_of_cards({one, other, two});
  ASSERT_EQ(shelves.size(), 2U);
  EXPECT_EQ(shelves[0].pattern, "m/Card {slot}.bin");
  EXPECT_EQ(shelves[0].files, (std::vector<std::size_t>{0, 2}));
  EXPECT_EQ(shelves[1].pattern, "m/Card 3.bin");
}

TEST(RegionOfPath, IsAWholeWord) {
  EXPECT_EQ(region_of_path("cards/Europe/left.card"), Region::europe);
  EXPECT_EQ(region_of_path("left.usa.card"), Region::america);
  EXPECT_EQ(region_of_path("JPN/1.bin"), Region::japan);
  EXPECT_EQ(region_of_path("europa/left.card"), Region::unknown);
  EXPECT_EQ(region_of_path("EUR/usa.card"), Region::unknown) << "they contradict each other";
  EXPECT_EQ(region_of_path("e/u/j.card"), Region::unknown) << "single letters say nothing";
  EXPECT_EQ(region_of_path("world/left.card"), Region::unknown);
}

}  // namespace
}  // namespace bayswap
