// Saves in one tree, and their ROMs in another: a program's hidden folder and a shelf of games.
#include <gtest/gtest.h>

#include "bayswap/bay.h"
#include "demo/makers.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::TempFolder;

class RomsElsewhere : public testing::Test {
 protected:
  void rom(const std::string& path, std::string_view title) {
    folder_.write(path, demo::snes_rom(title, 2, 3));
  }
  void save(const std::string& path, std::string_view title) {
    folder_.write(path, demo::progress(title, 0x2000, 7, demo::kOnes));
  }
  [[nodiscard]] std::string full(const std::string& path) const {
    return std::filesystem::canonical(folder_.path() / path).string();
  }
  Result<Bay> learned(const std::string& place, const std::string& roms) {
    return learn_bay(disk(), {}, "den", folder_ / place, nullptr, {}, folder_ / roms);
  }

  TempFolder folder_;
};

TEST_F(RomsElsewhere, TellWhatSavesAreCalled) {
  rom("games/snes/Lantern Drift (Europe).sfc", "LANTERN DRIFT");
  rom("games/snes/Kite Harbour.sfc", "KITE HARBOUR");
  save("hidden/saves/Lantern Drift (Europe).srm", "LANTERN DRIFT");
  const auto bay = learned("hidden", "games");
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_EQ(bay->shelves.size(), 1U);
  EXPECT_EQ(bay->shelves[0].system, System::snes);
  EXPECT_EQ(bay->shelves[0].pattern, "saves/{stem}.srm");
  EXPECT_EQ(bay->shelves[0].roms, full("games/snes"));
  EXPECT_EQ(bay->shelves[0].explains, 1U);
  EXPECT_TRUE(bay->unexplained.empty());
  // It is kept as it was learned.
  BayList list;
  const Path file = folder_ / "bays.toml";
  ASSERT_TRUE(list.put(disk(), file, *bay));
  const auto kept = BayList::load(disk(), file);
  ASSERT_TRUE(kept) << kept.error().text;
  EXPECT_EQ((*kept->find("den"))->shelves.at(0).roms, full("games/snes"));
}

TEST_F(RomsElsewhere, MaySortSavesAsTheyAreSorted) {
  for (const std::string game : {"A/Attic", "K/Kite Harbour", "L/Lantern Drift"})
    rom("games/" + game + ".sfc", game.substr(2));
  save("hidden/saves/A/Attic.srm", "Attic");
  save("hidden/saves/K/Kite Harbour.srm", "Kite Harbour");
  const auto bay = learned("hidden", "games");
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_EQ(bay->shelves.size(), 1U);
  EXPECT_EQ(bay->shelves[0].pattern, "saves/{folder}/{stem}.srm");
  EXPECT_EQ(bay->shelves[0].roms, full("games"));
  EXPECT_EQ(bay->shelves[0].explains, 2U);
}

TEST_F(RomsElsewhere, MayLieAroundTheSaves) {
  rom("games/Lantern Drift.sfc", "LANTERN DRIFT");
  rom("games/battery/Kite Harbour.sfc", "KITE HARBOUR");
  save("games/battery/Lantern Drift.srm", "LANTERN DRIFT");
  const auto bay = learned("games/battery", "games");
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_EQ(bay->shelves.size(), 1U);
  EXPECT_EQ(bay->shelves[0].pattern, "{stem}.srm");
  EXPECT_EQ(bay->shelves[0].roms, full("games"));
}

TEST_F(RomsElsewhere, AreAskedForWhereSavesLieAlone) {
  save("hidden/saves/Lantern Drift.srm", "LANTERN DRIFT");
  save("hidden/saves/Kite Harbour.srm", "KITE HARBOUR");
  const auto alone = learn_bay(disk(), {}, "den", folder_ / "hidden");
  ASSERT_FALSE(alone);
  EXPECT_EQ(alone.error().code, Code::no_match);
  EXPECT_NE(alone.error().hint.text().find("lie elsewhere"), std::string::npos);
  EXPECT_EQ(learned("hidden", "nowhere").error().trouble, Trouble::input);
}

}  // namespace
}  // namespace bayswap
