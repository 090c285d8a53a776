// Versions of saves: what is the same progress, which saves are of one game, what follows what.
#include <gtest/gtest.h>

#include "core/sync/version_graph.h"
#include "support/bytes.h"
#include "support/card_zoo.h"

namespace bayswap {
namespace {

using test::operator+;

Save chip(const std::string& name, Bytes data) {
  Save save;
  save.parts.push_back({name, std::move(data), false});
  return save;
}

TEST(Progress, IsTheSameInAnotherChipSizeAndBesideAClock) {
  const Bytes some = test::random_bytes(0x800, 1) + Bytes(1, std::byte{7});
  const Save small = chip("sram", some + Bytes(0x7FF, std::byte{0xFF}));
  const Save large = chip("sram", some + Bytes(0x77FF, std::byte{0xFF}));
  const Save zeros = chip("sram", some + Bytes(0x7FF, std::byte{0}));
  Save clock = small;
  clock.parts.push_back({"clock", test::random_bytes(48, 2), false});
  EXPECT_EQ(progress_of(small), progress_of(large));
  EXPECT_EQ(progress_of(small), progress_of(zeros));
  EXPECT_EQ(progress_of(small), progress_of(clock));
  Save other = small;
  other.parts[0].data[3] ^= std::byte{1};
  EXPECT_NE(progress_of(small), progress_of(other));
  EXPECT_NE(progress_of(small), progress_of(chip("flash", small.parts[0].data)));
  // An erased chip beside one that holds something is as good as none.
  Save with_blank = small;
  with_blank.parts.push_back({"pak1", Bytes(0x8000, std::byte{0}), true});
  EXPECT_EQ(progress_of(small), progress_of(with_blank));
  // The bytes of files count all.
  Save files = small;
  files.kind = Kind::folder;
  Save longer = large;
  longer.kind = Kind::folder;
  EXPECT_NE(progress_of(files), progress_of(longer));
}

SaveVersion version(const std::string& id, std::vector<std::string> parents, unsigned holds) {
  SaveVersion made;
  made.id = id;
  made.parents = std::move(parents);
  made.identity.game.title = "Copper Tide";
  made.progress[0] = static_cast<std::byte>(holds);
  return made;
}

std::vector<std::string> heads(const VersionGraph& graph, const SyncedSave& save) {
  std::vector<std::string> ids;
  for (const std::size_t head : save.heads) ids.push_back(graph.versions()[head].id);
  std::ranges::sort(ids);
  return ids;
}

using Ids = std::vector<std::string>;

TEST(VersionGraphs, KnowWhatFollowsWhat) {
  const VersionGraph graph({version("c", {"b"}, 3), version("a", {}, 1), version("b", {"a"}, 2),
                            version("d", {"a"}, 4)});
  ASSERT_EQ(graph.saves().size(), 1U);
  EXPECT_EQ(heads(graph, graph.saves()[0]), (Ids{"c", "d"}));
  EXPECT_TRUE(graph.is_before("a", "c"));
  EXPECT_FALSE(graph.is_before("c", "a"));
  EXPECT_FALSE(graph.is_before("d", "c"));
  EXPECT_FALSE(graph.is_before("a", "a"));
}

TEST(VersionGraphs, UnknownParentsWait) {
  const VersionGraph graph({version("c", {"b"}, 3), version("d", {"c"}, 4), version("a", {}, 1)});
  EXPECT_EQ(graph.waiting(), 2U);
  EXPECT_EQ(graph.versions().size(), 1U);
  // A circle never begins.
  EXPECT_EQ(VersionGraph({version("a", {"b"}, 1), version("b", {"a"}, 2)}).waiting(), 2U);
}

TEST(VersionGraphs, TheSameIsNoConflictAndWhatOnlyRepeatsIsBehind) {
  EXPECT_EQ(VersionGraph({version("a", {}, 1), version("b", {}, 1)}).saves()[0].heads.size(), 1U);
  // b repeats what c follows.
  const VersionGraph behind({version("a", {}, 1), version("b", {}, 1), version("c", {"a"}, 2)});
  EXPECT_EQ(heads(behind, behind.saves()[0]), (Ids{"c"}));
  // Somebody put it there on purpose.
  std::vector<SaveVersion> chosen{version("a", {}, 1), version("b", {}, 1), version("c", {"a"}, 2)};
  chosen[1].on_purpose = true;
  const VersionGraph both(chosen);
  EXPECT_EQ(heads(both, both.saves()[0]), (Ids{"b", "c"}));
  // Each repeats the other: nobody knows which is newer.
  const VersionGraph circle(
      {version("a", {}, 1), version("b", {"a"}, 2), version("c", {}, 2), version("d", {"c"}, 1)});
  EXPECT_EQ(circle.saves()[0].heads.size(), 2U);
}

SaveVersion named(const std::string& id, const std::string& title, const std::string& code,
                  const std::string& rom, Region region = Region::america) {
  SaveVersion made = version(id, {}, 1);
  made.identity.game.title = title;
  made.identity.game.code = code;
  made.identity.game.region = region;
  made.identity.rom = rom;
  return made;
}

std::size_t saves_of(std::vector<SaveVersion> versions) {
  return VersionGraph(std::move(versions)).saves().size();
}

TEST(VersionGraphs, SavesOfOneGameAreFoundByTheirNames) {
  EXPECT_EQ(saves_of({named("a", "Copper Tide", "NCTE", ""), named("b", "COPPER", "NCTE", "")}),
            1U);
  EXPECT_EQ(saves_of({named("a", "Copper Tide", "NCTE", ""), named("b", "Copper Tide", "", "")}),
            1U);
  // Different kinds of names do not contradict each other; two of one kind do.
  EXPECT_EQ(saves_of({named("a", "Copper Tide", "NCTE", ""), named("b", "Copper Tide", "", "77")}),
            1U);
  EXPECT_EQ(saves_of({named("a", "Copper Tide", "", "66"), named("b", "Copper Tide", "", "77")}),
            2U);
  // A title that several have says nothing.
  EXPECT_EQ(saves_of({named("a", "Copper Tide", "", "66"), named("b", "Copper Tide", "", "77"),
                      named("c", "Copper Tide", "", "")}),
            3U);
  EXPECT_EQ(saves_of({named("a", "Copper Tide", "", "", Region::europe),
                      named("b", "Copper Tide", "", "", Region::japan)}),
            2U);
  // n64 games made at home share a code.
  std::vector<SaveVersion> homebrew{named("a", "Tide Table", "NEDE", ""),
                                    named("b", "Post Office", "NEDE", "")};
  for (SaveVersion& one : homebrew) one.identity.system = System::n64;
  EXPECT_EQ(saves_of(homebrew), 2U);
  // Slots of states and saves on a card are things of their own.
  std::vector<SaveVersion> slots{named("a", "Tide Table", "", ""),
                                 named("b", "Tide Table", "", "")};
  slots[0].identity.slot = "1";
  EXPECT_EQ(saves_of(slots), 2U);
}

// Whatever the order in which versions are told, everybody sees the same.
TEST(VersionGraphs, TheOrderDoesNotMatter) {
  test::Numbers numbers(5);
  for (int round = 0; round < 200; ++round) {
    std::vector<SaveVersion> versions;
    for (unsigned i = 0; i < 12; ++i) {
      Ids parents;
      for (unsigned p = 0; p < 2 && i > 0; ++p)
        if (numbers() % 3 > 0) parents.push_back("v" + std::to_string(numbers() % i));
      versions.push_back(version("v" + std::to_string(i), parents, numbers() % 5));
      const std::string titles[] = {"Copper Tide", "Moss", ""};
      versions.back().identity.game.title = titles[numbers() % 3];
      if (numbers() % 3 == 0)
        versions.back().identity.game.code = "NCT" + std::to_string(numbers() % 2);
    }
    const auto seen = [](const VersionGraph& graph) {
      std::set<std::pair<Ids, Ids>> all;
      for (const SyncedSave& save : graph.saves()) {
        Ids ids;
        for (const std::size_t place : save.versions) ids.push_back(graph.versions()[place].id);
        std::ranges::sort(ids);
        all.insert({ids, heads(graph, save)});
      }
      return all;
    };
    const auto before = seen(VersionGraph(versions));
    for (std::size_t i = versions.size(); i > 1; --i)
      std::swap(versions[i - 1], versions[numbers() % i]);
    EXPECT_EQ(seen(VersionGraph(versions)), before) << round;
  }
}

}  // namespace
}  // namespace bayswap
