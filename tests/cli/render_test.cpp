#include <gtest/gtest.h>
#include <random>
#include <regex>
#include <set>

#include <nlohmann/json.hpp>

#include "cli/render/json/json.h"
#include "cli/render/overview.h"
#include "cli/render/style.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

TEST(Render, WrapsAtWordsAndIndents) {
  EXPECT_EQ(wrapped("one two three four", 12, 2), "one two\n  three four");
  EXPECT_EQ(wrapped("", 10, 2), "");
  EXPECT_EQ(wrapped("averyverylongword x", 8, 0), "averyverylongword\nx");
  for (const char c : {'\n'}) EXPECT_EQ(wrapped("a  b", 40, 0).find(c), std::string::npos);
}

TEST(Render, CountsColumnsOfUtf8) {
  EXPECT_EQ(columns_of("ü日"), 3U) << "letters of East Asia are two cells wide";
  EXPECT_EQ(padded("ü", 3), "ü  ");
}

TEST(Render, PaintsOnlyWhenAsked) {
  EXPECT_EQ(Style(false, 80).paint(Tone::bad, "x"), "x");
  EXPECT_NE(Style(true, 80).paint(Tone::bad, "x").find("\x1b["), std::string::npos);
  EXPECT_EQ(Style(true, 80).paint(Tone::bad, ""), "");
}

std::string without_paint(const std::string& text) {
  static const std::regex paint("\x1b\\[[0-9;]*m");
  return std::regex_replace(text, paint, "");
}

TEST(Render, PaintChangesNoLetterOfABay) {
  Bay bay;
  bay.name = "den";
  bay.place = "/somewhere/den";
  Shelf shelf;
  shelf.system = System::n64;
  shelf.pattern = "saves/{stem}.srm";
  shelf.layout = {"n64-combined-swap32"};
  shelf.roms = "roms/n64";
  shelf.examples = {
      "saves/Copper Tide with a name that is long enough for a second line (America).srm"};
  bay.shelves = {shelf};
  bay.questions = {"which of the two is the one that counts?"};
  bay.unexplained = {"notes.txt: not recognised as a save", "bad\x1b[31mname"};
  const std::string plain = bay_text(bay, Style(false, 60), true);
  EXPECT_EQ(without_paint(bay_text(bay, Style(true, 60), true)), plain);
  EXPECT_EQ(plain.find('\x1b'), std::string::npos);
  EXPECT_NE(plain.find("bad?[31mname"), std::string::npos) << plain;
}

TEST(Render, AgesAreRoundedToTheirUnit) {
  constexpr std::int64_t kMinute = 60'000'000'000;
  constexpr std::int64_t kHour = 60 * kMinute;
  constexpr std::int64_t kDay = 24 * kHour;
  const std::vector<std::pair<std::int64_t, std::string>> ages{{-1, "ahead"},
                                                               {0, "minutes"},
                                                               {59 * kMinute, "minutes"},
                                                               {kHour, "1 h"},
                                                               {89 * kMinute, "1 h"},
                                                               {91 * kMinute, "2 h"},
                                                               {47 * kHour, "47 h"},
                                                               {2 * kDay, "2 days"},
                                                               {60 * kDay, "60 days"},
                                                               {61 * kDay, "2 months"},
                                                               {365 * kDay, "12 months"},
                                                               {3650 * kDay, "10 years"}};
  for (const auto& [age, text] : ages) EXPECT_EQ(age_text(age), text) << age;
}

TEST(Render, StripsShowWhereSomethingIs) {
  EXPECT_EQ(strip_text({0, 1, 50, 100}, Style(false, 80)), "·▁▄█");
}

TEST(Render, NamesAreShortenedInTheMiddleByWholeCharacters) {
  const Style style(false, 80);
  EXPECT_EQ(style.fitted("short.sav", 20), "short.sav");
  EXPECT_EQ(style.fitted("A very long name of a game.sav", 20), "A very long n…me.sav");
  EXPECT_EQ(style.fitted_path("den/saves/Kite Foundry.srm", 20), "…/Kite Foundry.srm");
  EXPECT_EQ(style.fitted_path("den/A very long name of a game.srm", 20), "…/A very long …e.srm");
  EXPECT_EQ(Style(false, 80, true).fitted("A very long name of a game.sav", 9),
            "A very long name of a game.sav")
      << "nothing is shortened in a pipe";
  // A letter with its accent, and a flag of two code points, stay whole or go whole.
  std::mt19937 numbers(9);
  const std::vector<std::string> characters{"a", "e\u0301", "日", "\U0001F1EF\U0001F1F5", "ß", "."};
  for (int round = 0; round < 500; ++round) {
    std::vector<std::string> parts(3 + numbers() % 30);
    std::string name;
    for (std::string& part : parts) name += part = characters[numbers() % characters.size()];
    const std::size_t columns = 3 + numbers() % 30;
    const std::string shown = style.fitted(name, columns);
    EXPECT_LE(columns_of(shown), columns) << name;
    if (shown == name) continue;
    const std::size_t gap = shown.find("…");
    ASSERT_NE(gap, std::string::npos) << name;
    std::set<std::string> heads{""};
    std::set<std::string> tails{""};
    std::string head;
    std::string tail;
    for (std::size_t i = 0; i < parts.size(); ++i) {
      heads.insert(head += parts[i]);
      tails.insert(tail = parts[parts.size() - 1 - i] + tail);
    }
    EXPECT_TRUE(heads.contains(shown.substr(0, gap))) << name << " as " << shown;
    EXPECT_TRUE(tails.contains(shown.substr(gap + std::string("…").size())))
        << name << " as " << shown;
  }
}

TEST(Render, NoControlCharacterGetsThroughATextThatIsWrapped) {
  EXPECT_EQ(wrapped("a \x1b[2J b\x07", 40, 0), "a ?[2J b?");
}

TEST(Render, FindingsSayWhatToDo) {
  const std::string text = finding_text(
      {Level::error, Code::damaged, "it is cut short", "dump it again"}, Style(false, 80), 2);
  EXPECT_EQ(text, "  ✗ damaged: it is cut short\n    → dump it again\n");
  EXPECT_EQ(finding_text({Level::note, Code::padded, "it repeats", ""}, Style(false, 80), 0),
            "· it repeats\n");
}

TEST(Render, JsonReplacesBrokenText) {
  Item item;
  item.path = "bad \xff name";
  const std::string text = item_json(item);
  EXPECT_EQ(text.find('\xff'), std::string::npos);
  const nlohmann::json json = nlohmann::json::parse(text, nullptr, false);
  EXPECT_FALSE(json.is_discarded());
  EXPECT_FALSE(json.contains("system")) << "keys that do not apply are left out";
}

TEST(Render, MovesNameTheirChecks) {
  MoveReport move;
  move.from = {"a", "b"};
  move.to = "c";
  move.checks.push_back({Level::error, Code::region_differs, "text", "hint"});
  CarryReport report;
  report.moves.push_back(move);
  const nlohmann::json json = nlohmann::json::parse(json_text(report));
  EXPECT_EQ(json["moves"][0]["status"], "stopped");
  EXPECT_EQ(json["moves"][0]["from"], "a and b");
  EXPECT_EQ(json["moves"][0]["checks"][0]["code"], "region-differs");
  const std::string text = report_text(report, Style(false, 80), Doing::carrying);
  EXPECT_NE(text.find("stopped, nothing was changed"), std::string::npos);
  EXPECT_EQ(text.find("bayswap undo"), std::string::npos)
      << "nothing was written, so there is nothing to take back";
}

}  // namespace
}  // namespace bayswap::cli
