// Habits of programs that nobody wrote down: random folders, extensions and name parts around the
// ROM's name. Each is learned exactly, or not at all; never wrongly. Carries then go there and
// back.
#include <gtest/gtest.h>

#include <random>

#include "bayswap/bay.h"
#include "bayswap/carry.h"
#include "demo/makers.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::TempFolder;

class Habits {
 public:
  explicit Habits(std::uint32_t seed) : numbers_(seed) {}

  /// A random pattern with {stem} once or twice.
  std::string pattern() {
    static const std::vector<std::string> kFolders{"",           "",     "saves/",      "Battery/",
                                                   "data/keep/", "x y/", "sub.folder/", "2026/"};
    static const std::vector<std::string> kBefore{"", "", "", "save-", "my ", "[b] "};
    static const std::vector<std::string> kAfter{".sav",    ".srm",   ".SAV",        ".bin", "",
                                                 ".gb.sav", "-1.dat", " (save).bak", ".s0v"};
    std::string text = pick(kFolders);
    if (numbers_() % 4 == 0) text += "{stem}/";
    return text + pick(kBefore) + "{stem}" + pick(kAfter);
  }

  std::string roms() {
    static const std::vector<std::string> kFolders{"", "roms/", "ROMS/gb/", "games here/"};
    return pick(kFolders);
  }

 private:
  const std::string& pick(const std::vector<std::string>& list) {
    return list[numbers_() % list.size()];
  }
  std::mt19937 numbers_;
};

std::string filled_in(std::string pattern, const std::string& stem) {
  for (std::size_t at = pattern.find("{stem}"); at != std::string::npos;
       at = pattern.find("{stem}"))
    pattern.replace(at, 6, stem);
  return pattern;
}

const std::vector<std::string> kStems{"Tin Orchard (Europe)", "Copper Bell", "Moss, the Third"};

void build(const TempFolder& folder, const std::string& pattern, const std::string& roms,
           std::uint32_t seed) {
  for (std::size_t i = 0; i < kStems.size(); ++i) {
    folder.write(roms + kStems[i] + ".gb",
                 demo::gb_rom("GAME " + std::string(1, static_cast<char>('A' + i)), 0x03, 2));
    folder.write(
        filled_in(pattern, kStems[i]),
        demo::progress(kStems[i], 0x2000, seed + static_cast<std::uint32_t>(i), std::byte{0xFF}),
        5);
  }
  folder.write("settings.ini", std::string("volume=3\n"));
}

TEST(RandomHabits, AreLearnedExactlyAndCarriedBothWays) {
  std::size_t exact = 0;
  constexpr std::size_t kRounds = 150;
  for (std::uint32_t round = 0; round < kRounds; ++round) {
    Habits habits(round);
    const TempFolder here;
    const TempFolder there;
    const TempFolder own;
    const std::string from = habits.pattern();
    const std::string to = habits.pattern();
    build(here, from, habits.roms(), 100);
    build(there, to, habits.roms(), 200);
    auto session = Session::open(disk(), {own / "config", own / "data"});
    ASSERT_TRUE(session);
    bool learned = true;
    for (const auto& [name, folder, pattern] :
         {std::tuple{"here", &here, from}, std::tuple{"there", &there, to}}) {
      const auto bay = learn_bay(disk(), {}, name, folder->path());
      ASSERT_TRUE(bay) << pattern << ": " << bay.error().text;
      learned = learned && bay->shelves.size() == 1 && bay->shelves[0].pattern == pattern;
      EXPECT_EQ(bay->shelves[0].explains, kStems.size()) << pattern;
      ASSERT_TRUE(session->bays.put(disk(), session->bays_file(), *bay));
    }
    exact += learned ? 1 : 0;
    CarryRequest request;
    request.all = true;
    request.from = "here";
    request.to = "there";
    request.accept = {"newer-there"};
    ASSERT_TRUE(carry(*session, request));
    for (const std::string& stem : kStems)
      EXPECT_EQ(test::read(there / filled_in(to, stem)), test::read(here / filled_in(from, stem)))
          << from << " to " << to;
    const auto before = test::snapshot(here.path());
    std::swap(request.from, request.to);
    const auto back = carry(*session, request);
    ASSERT_TRUE(back);
    for (const MoveReport& move : back->moves)
      EXPECT_TRUE(move.nothing_to_do) << from << " | " << to << " | " << move.to << " "
                                      << (move.checks.empty() ? "" : move.checks[0].text);
    EXPECT_EQ(test::snapshot(here.path()), before);
  }
  EXPECT_EQ(exact, kRounds);
}

}  // namespace
}  // namespace bayswap
