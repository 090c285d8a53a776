#include "bayswap/naming.h"

#include <gtest/gtest.h>

#include <functional>
#include <random>
#include <vector>

#include "support/rounds.h"

namespace bayswap {
namespace {

NamingPattern parsed(const std::string& text) {
  auto pattern = NamingPattern::parse(text);
  EXPECT_TRUE(pattern) << text << ": " << (pattern ? "" : pattern.error().text);
  return std::move(*pattern);
}

struct Pair {
  std::string pattern;
  Fields fields;
  std::string path;
};

void PrintTo(const Pair& pair, std::ostream* out) {
  *out << pair.pattern;
}

class GoldenPattern : public testing::TestWithParam<Pair> {};

TEST_P(GoldenPattern, BuildsAndMatches) {
  const auto& [text, fields, path] = GetParam();
  const NamingPattern pattern = parsed(text);
  const auto built = pattern.build(fields);
  ASSERT_TRUE(built) << built.error().text;
  EXPECT_EQ(*built, path);
  const auto matched = pattern.match(path);
  ASSERT_TRUE(matched);
  EXPECT_EQ(*matched, fields);
}

INSTANTIATE_TEST_SUITE_P(
    Facts, GoldenPattern,
    testing::Values(
        Pair{"saves/{stem}.srm",
             {{"stem", "Copper Tide (America)"}},
             "saves/Copper Tide (America).srm"},
        Pair{"{stem}/{stem}.sav", {{"stem", "a.b"}}, "a.b/a.b.sav"},
        Pair{"title/{title_id:high}/{title_id:low}/data",
             {{"title_id", "0005000010100a00"}},
             "title/00050000/10100a00/data"},
        Pair{"{title_id:upper}", {{"title_id", "0005000010100a00"}}, "0005000010100A00"},
        Pair{"00010000/{code:hex}/data/banner.bin",
             {{"code", "RSPE"}},
             "00010000/52535045/data/banner.bin"},
        Pair{"{code:hex:upper}", {{"code", "ZJKO"}}, "5A4A4B4F"},
        Pair{"{code:lower}-{maker}", {{"code", "NCTE"}, {"maker", "BS"}}, "ncte-BS"},
        Pair{"{stem}.st{slot}", {{"stem", "Dune.st3"}, {"slot", "7"}}, "Dune.st3.st7"},
        Pair{"{stem}.state{slot:first }", {{"stem", "Dune"}, {"slot", "0"}}, "Dune.state"},
        Pair{"{stem}.state{slot:first }", {{"stem", "Dune"}, {"slot", "12"}}, "Dune.state12"},
        Pair{"{stem}_{slot:pad 2:from 1}", {{"stem", "Dune"}, {"slot", "8"}}, "Dune_09"},
        Pair{"{stem}.k{slot:tens s:first st}", {{"stem", "Dune"}, {"slot", "0"}}, "Dune.kst"},
        Pair{"{stem}.k{slot:tens s:first st}", {{"stem", "Dune"}, {"slot", "7"}}, "Dune.ks7"},
        Pair{"{stem}.k{slot:tens s:first st}", {{"stem", "Dune"}, {"slot", "41"}}, "Dune.k41"},
        Pair{"{stem}.q{slot:letters a}", {{"stem", "Dune"}, {"slot", "9"}}, "Dune.q9"},
        Pair{"{stem}.q{slot:letters a}", {{"stem", "Dune"}, {"slot", "12"}}, "Dune.qc"},
        Pair{"{stem}_{slot:pad 2:from 1}", {{"stem", "Dune"}, {"slot", "200"}}, "Dune_201"},
        Pair{"{region:upper}/{serial}/{label}",
             {{"region", "europe"}, {"serial", "SLES-12345"}, {"label", "x y"}},
             "EUROPE/SLES-12345/x y"},
        Pair{"{account}/{profile:upper}/{title}",
             {{"account", "80000001"}, {"profile", "e000012345678abc"}, {"title", "T"}},
             "80000001/E000012345678ABC/T"},
        Pair{"{profile}/{title_id:low:upper}/{label}",
             {{"profile", "e000012345678abc"}, {"title_id", "000000005836a801"}, {"label", "T"}},
             "e000012345678abc/5836A801/T"},
        Pair{"{folder}/{stem}.sav", {{"folder", "tile/deep"}, {"stem", "T"}}, "tile/deep/T.sav"},
        Pair{"{crc32:upper}-{md5}",
             {{"crc32", "0a1b2c3d"}, {"md5", "d41d8cd98f00b204e9800998ecf8427e"}},
             "0A1B2C3D-d41d8cd98f00b204e9800998ecf8427e"},
        Pair{"{sha1}",
             {{"sha1", "da39a3ee5e6b4b0d3255bfef95601890afd80709"}},
             "da39a3ee5e6b4b0d3255bfef95601890afd80709"},
        Pair{"a{{b}}{stem}", {{"stem", "c"}}, "a{b}c"}, Pair{"card.mcd", {}, "card.mcd"}));

TEST(NamingPattern, RefusesWhatCannotBeReadBack) {
  for (const std::string text : {"{stem}{slot}",
                                 "{stem}{title}",
                                 "{stem}-{title}",
                                 "{stem:upper}.sav",
                                 "{title_id:high}",
                                 "{nothing}",
                                 "{stem",
                                 "stem}",
                                 "{stem:wide}",
                                 "{slot:pad 0}",
                                 "{slot:pad}",
                                 "{stem:pad 2}",
                                 "/{stem}",
                                 "../{stem}",
                                 "a//{stem}",
                                 "{stem}/",
                                 "",
                                 "{title_id:high:low}",
                                 "{slot:first 1}{slot}",
                                 "{folder}{stem}",
                                 "{folder}/{folder}/{stem}",
                                 "{folder:lower}/{stem}",
                                 "{crc32:low}",
                                 "{stem}\n",
                                 "{slot:first /}"})
    EXPECT_FALSE(NamingPattern::parse(text)) << text;
  // The low half alone is for ids that have no other.
  EXPECT_FALSE(NamingPattern::parse("{title_id:low}")
                   ->build({{"title_id", "00040000000d4c00"}})
                   .has_value());
  const auto refused = NamingPattern::parse("saves/{stem}{title}.srm");
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Code::bad_pattern);
  EXPECT_NE(refused.error().text.find("position 7"), std::string::npos) << refused.error().text;
}

TEST(NamingPattern, NeverBuildsAWayOut) {
  const NamingPattern pattern = parsed("saves/{stem}");
  for (const std::string& stem :
       std::vector<std::string>{"..", ".", "", "a/b", "a\nb", std::string("a\0b", 3)})
    EXPECT_FALSE(pattern.build({{"stem", stem}})) << stem;
  EXPECT_FALSE(pattern.build({}));
  const NamingPattern folders = parsed("saves/{folder}/{stem}");
  for (const std::string& folder : std::vector<std::string>{"..", "a/..", "../a", "a/../b", ".", "",
                                                            "/", "/a", "a/", "a//b", "a\nb"})
    EXPECT_FALSE(folders.build({{"folder", folder}, {"stem", "x"}})) << folder;
  EXPECT_FALSE(parsed("{code}").build({{"code", "abc"}}));
  EXPECT_FALSE(parsed("{slot}").build({{"slot", "007"}}));
}

TEST(NamingPattern, MatchesOnlyWhatFits) {
  EXPECT_FALSE(parsed("saves/{stem}.srm").match("saves/x.sav"));
  EXPECT_FALSE(parsed("saves/{stem}.srm").match("saves/.srm"));
  EXPECT_FALSE(parsed("saves/{stem}.srm").match("saves/a/b.srm"));
  EXPECT_FALSE(parsed("{stem}/{stem}.sav").match("a/b.sav"));
  EXPECT_FALSE(parsed("{code:hex}").match("00000000"));
}

// Every text over a small alphabet of pieces, held against brute force: if two different sets of
// values build the same path, the pattern must have been refused; else it must come back.
TEST(NamingPattern, AcceptedPatternsComeBackAndAmbiguousOnesAreRefused) {
  const std::vector<std::string> pieces{"{stem}",
                                        "{slot}",
                                        "{slot:pad 2}",
                                        "{slot:first A}",
                                        "{title}",
                                        "{code}",
                                        "{folder}",
                                        "/",
                                        "-",
                                        "1",
                                        "A"};
  const std::vector<std::string> texts{"A", "1", "-", "A1", "1-A", "AB12", "-1"};
  const std::vector<std::string> slots{"0", "1", "11", "100"};
  std::mt19937 numbers(7);
  std::size_t accepted = 0;
  std::size_t collisions = 0;
  for (int round = 0; round < 4000; ++round) {
    std::string text;
    for (std::size_t i = 0; i <= numbers() % 5; ++i) text += pieces[numbers() % pieces.size()];
    const auto pattern = NamingPattern::parse(text);
    std::map<std::string, Fields> built;
    bool collides = false;
    if (!pattern) continue;
    ++accepted;
    for (const std::string& stem : texts)
      for (const std::string& title : texts)
        for (const std::string& slot : slots) {
          Fields fields;
          if (pattern->uses("stem")) fields["stem"] = stem;
          if (pattern->uses("title")) fields["title"] = title;
          if (pattern->uses("slot")) fields["slot"] = slot;
          if (pattern->uses("code")) fields["code"] = "AB12";
          if (pattern->uses("folder")) fields["folder"] = stem + "/" + title;
          const auto path = pattern->build(fields);
          if (!path) continue;
          const auto [entry, fresh] = built.emplace(*path, fields);
          collides = collides || (!fresh && entry->second != fields);
          EXPECT_EQ(pattern->match(*path), fields) << text << " for " << *path;
        }
    collisions += collides ? 1 : 0;
  }
  EXPECT_GT(accepted, 300U);
  EXPECT_EQ(collisions, 0U);
}

// A slow model of a pattern over a small alphabet: in how many ways its pieces can stand for a
// text.
class SlowPattern {
 public:
  explicit SlowPattern(std::vector<std::string> pieces) : pieces_(std::move(pieces)) {}

  [[nodiscard]] std::size_t ways(const std::string& text, std::size_t piece = 0,
                                 std::size_t from = 0) const {
    if (piece == pieces_.size()) return from == text.size() ? 1 : 0;
    std::size_t found = 0;
    for (std::size_t end = from + 1; end <= text.size() && found < 2; ++end)
      if (holds(pieces_[piece], text.substr(from, end - from))) found += ways(text, piece + 1, end);
    return found;
  }

 private:
  static bool all_of(const std::string& text, const char* letters) {
    return text.find_first_not_of(letters) == std::string::npos;
  }
  static bool is_number(const std::string& text) { return all_of(text, "1") || (text == "0"); }
  static bool holds(const std::string& piece, const std::string& text) {
    if (piece.front() != '{') return piece == text;
    if (piece == "{stem}" || piece == "{title}") return text.find('/') == std::string::npos;
    if (piece == "{folder}")
      return text.front() != '/' && text.back() != '/' && text.find("//") == std::string::npos;
    if (piece == "{slot}") return is_number(text);
    if (piece == "{slot:pad 2}") return text.size() >= 2 && is_number(text);
    if (piece == "{slot:first A}") return text == "A" || is_number(text);
    if (piece == "{code}") return text.size() == 4 && all_of(text, "A1");
    return false;
  }
  std::vector<std::string> pieces_;
};

void every_text(const std::string& letters, std::size_t longest,
                const std::function<bool(const std::string&)>& visit) {
  std::vector<std::string> texts{""};
  for (std::size_t at = 0; at < texts.size(); ++at) {
    const std::string text = texts[at];
    if (!text.empty() && !visit(text)) return;
    if (text.size() < longest)
      for (const char letter : letters) texts.push_back(text + letter);
  }
}

// What is refused as ambiguous is: some text can be read in two ways. What is accepted is not.
TEST(NamingPattern, RefusesWhatIsAmbiguousAndNothingElse) {
  const std::vector<std::string> pieces{"{stem}",
                                        "{slot}",
                                        "{slot:pad 2}",
                                        "{slot:first A}",
                                        "{title}",
                                        "{code}",
                                        "{folder}",
                                        "/",
                                        "-",
                                        "1",
                                        "A"};
  std::mt19937 numbers(11);
  std::size_t refused = 0;
  std::size_t accepted = 0;
  const int wanted = test::rounds(1500);
  for (int round = 0; round < wanted; ++round) {
    std::vector<std::string> chosen;
    std::string text;
    for (std::size_t i = 0; i <= numbers() % 4; ++i) {
      chosen.push_back(pieces[numbers() % pieces.size()]);
      text += chosen.back();
    }
    const auto pattern = NamingPattern::parse(text);
    if (!pattern && pattern.error().text.find("two ways") == std::string::npos) continue;
    const SlowPattern slow(chosen);
    bool ambiguous = false;
    const auto look = [&](const std::string& path) {
      ambiguous = slow.ways(path) > 1;
      return !ambiguous;
    };
    every_text("A1-/", 6, look);
    if (!ambiguous) every_text("A1", 11, look);
    // Some readings part only in longer texts; the letters that the pattern itself has will do.
    std::string letters = "1";
    for (const std::string& piece : chosen)
      if (piece.size() == 1 && letters.find(piece) == std::string::npos) letters += piece;
    if (!ambiguous && !pattern) every_text(letters, 10, look);
    if (!ambiguous && !pattern) every_text(letters + "A", 9, look);
    EXPECT_EQ(!pattern, ambiguous) << text;
    (pattern ? accepted : refused) += 1;
  }
  EXPECT_GT(refused, static_cast<std::size_t>(wanted) / 15);
  EXPECT_GT(accepted, static_cast<std::size_t>(wanted) / 15);
}

}  // namespace
}  // namespace bayswap
