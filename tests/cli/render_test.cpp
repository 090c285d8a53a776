#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cli/render/json.h"
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
