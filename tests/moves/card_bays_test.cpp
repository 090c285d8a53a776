// Cards in bays: learned, looked at, and chosen among in a carry.
#include <gtest/gtest.h>

#include <algorithm>

#include "bayswap/card_file.h"
#include "bayswap/look.h"
#include "demo/card_makers.h"
#include "support/golden_cards.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::read;
using test::snapshot;

class CardBays : public test::WorldTest {
 protected:
  static Save night(const std::string& name, std::size_t blocks, std::uint32_t seed) {
    return demo::ps1_save(name, "Night", blocks, demo::Art::moon, seed);
  }
  void card(const std::string& path, const std::vector<Save>& saves) {
    folder_.write(path, demo::card_with("ps1-card", 15, saves));
  }
  const Shelf* shelf(const Bay& bay, const std::string& pattern) {
    for (const Shelf& one : bay.shelves)
      if (one.pattern == pattern) return &one;
    return nullptr;
  }
  std::vector<std::string> names(const std::string& path) {
    Session session = open();
    const auto shown = show_card(session, at(path), "");
    std::vector<std::string> found;
    if (shown)
      for (const CardSave& on_card : shown->card.saves) found.push_back(on_card.save.name);
    return found;
  }
};

TEST_F(CardBays, AreLearnedAsShelves) {
  card("place/cards/left.bin", {night("BASLUS-00417A", 1, 1)});
  card("place/cards/right {1}.bin", {});
  folder_.write("place/cards/big.raw", demo::card_with("gc-card", 59, {}));
  folder_.write("place/saves/GKFE thing.one", test::gc_entry([] {
                  test::GcSave save;
                  save.code = "GKFE";
                  save.maker = "7Q";
                  save.name = "thing";
                  save.data = test::random_bytes(8192, 1);
                  save.blocks = {5};
                  return save;
                }()));
  Bytes single = read(folder_ / "place/saves/GKFE thing.one");
  const Bytes data = test::random_bytes(8192, 1);
  single.insert(single.end(), data.begin(), data.end());
  folder_.write("place/saves/GKFE thing.one", single);
  folder_.write("place/readme.txt", std::string("nothing"));
  const auto bay = learn_bay(disk(), {}, "place", folder_ / "place");
  ASSERT_TRUE(bay) << bay.error().text;
  const Shelf* left = shelf(*bay, "cards/left.bin");
  ASSERT_NE(left, nullptr);
  EXPECT_EQ(left->kind, Kind::card_save);
  EXPECT_EQ(left->layout, std::vector<std::string>{"ps1-card"});
  EXPECT_EQ(left->explains, 1U);
  EXPECT_NE(shelf(*bay, "cards/right {{1}}.bin"), nullptr) << "braces in a name are literal";
  EXPECT_NE(shelf(*bay, "saves/{code} {label}.one"), nullptr);
  Session session = open();
  ASSERT_TRUE(session.bays.put(disk(), session.bays_file(), *bay));
  const auto again = BayList::load(disk(), session.bays_file());
  ASSERT_TRUE(again);
  EXPECT_EQ((*again->find("place"))->shelves.size(), bay->shelves.size());
  EXPECT_EQ((*again->find("place"))->shelves.front().kind, Kind::card_save);
}

TEST_F(CardBays, TheCardThatHasTheSaveIsChosen) {
  card("place/a.bin", {night("BASLUS-00417OTHER", 1, 1)});
  card("place/b.bin", {night("BASLUS-00417NIGHT", 2, 2)});
  card("place/c.bin", {});
  learn("place");
  card("source.bin", {night("BASLUS-00417NIGHT", 2, 3)});
  const auto carried = carry_one(at("source.bin") + ":#1", "place", {Code::newer_there});
  ASSERT_EQ(stop_code(carried), "") << carried.moves[0].checks[0].text;
  EXPECT_EQ(Path(carried.moves[0].to).filename(), "b.bin");
  EXPECT_EQ(names("place/b.bin").size(), 1U);
  EXPECT_EQ(read(folder_ / "place/b.bin").size(), 131072U);
}

TEST_F(CardBays, ACardOfTheSameRegionIsPreferred) {
  card("place/a.bin", {night("BESLES-00418X", 1, 1)});
  card("place/b.bin", {night("BASLUS-00999Y", 9, 2)});
  learn("place");
  card("source.bin", {night("BASLUS-00417NIGHT", 2, 3)});
  const auto carried = carry_one(at("source.bin") + ":#1", "place");
  ASSERT_EQ(stop_code(carried), "");
  EXPECT_EQ(Path(carried.moves[0].to).filename(), "b.bin");
}

TEST_F(CardBays, StopsSayWhyAndChangeNothing) {
  card("place/a.bin", {night("BASLUS-00001A", 14, 1)});
  learn("place");
  card("source.bin", {night("BASLUS-00417NIGHT", 2, 3), night("BASLUS-00417TINY", 1, 4)});
  const auto before = snapshot(folder_ / "place");
  const auto full = carry_one(at("source.bin") + ":#1", "place");
  EXPECT_EQ(stop_code(full), "no-room");
  EXPECT_NE(full.moves[0].checks[0].text.find("1 missing"), std::string::npos);
  EXPECT_EQ(stop_code(carry_one(at("attic/cards/kites.card") + ":#1", "place")), "no-match");
  EXPECT_EQ(snapshot(folder_ / "place"), before);
  // Both together: the small one goes, the large one is named.
  CarryRequest both;
  both.saves = {at("source.bin")};
  both.to = "place";
  const CarryReport report = carry_it(both);
  ASSERT_EQ(report.moves.size(), 2U);
  EXPECT_EQ(report.moves[0].status, MoveStatus::stopped);
  EXPECT_EQ(report.moves[1].status, MoveStatus::done);
  Bytes damaged = read(folder_ / "place/a.bin");
  test::put(damaged, 128 * 15 + 40, 1);
  folder_.write("place/a.bin", damaged);
  EXPECT_EQ(stop_code(carry_one(at("source.bin") + ":#1", "place")), "damaged");
}

TEST_F(CardBays, APlanOfSeveralSavesAddsUp) {
  card("place/a.bin", {night("BASLUS-00001A", 10, 1)});
  learn("place");
  card("source.bin", {night("BASLUS-00002B", 3, 2), night("BASLUS-00003C", 3, 3)});
  CarryRequest both;
  both.saves = {at("source.bin")};
  both.to = "place";
  both.plan = true;
  const CarryReport planned = carry_it(both);
  ASSERT_EQ(planned.moves.size(), 2U);
  EXPECT_EQ(planned.moves[0].status, MoveStatus::planned);
  EXPECT_EQ(stop_code(planned), "no-room") << "the second one sees the first one on the card";
}

TEST_F(CardBays, OlderProgressDoesNotReplaceYounger) {
  const Save older = demo::gc_save("GKFE", "kite", "Kite", "", 3, demo::Art::kite, 5);
  const Save younger = demo::gc_save("GKFE", "kite", "Kite", "", 3, demo::Art::kite, 9);
  folder_.write("place/a.raw", demo::card_with("gc-card", 59, {younger}));
  folder_.write("source.raw", demo::card_with("gc-card", 59, {older}));
  learn("place");
  EXPECT_EQ(stop_code(carry_one(at("source.raw") + ":kite", "place")), "newer-there");
  EXPECT_EQ(stop_code(carry_one(at("source.raw") + ":kite", "place", {Code::newer_there})), "");
}

TEST_F(CardBays, LookTellsDamageAndNamesGames) {
  Session session = open();
  std::vector<Item> items;
  ASSERT_TRUE(
      look(session, folder_ / "attic", {}, [&](const Item& item) { items.push_back(item); }));
  ASSERT_EQ(items.size(), 3U);
  EXPECT_EQ(items[1].layout, "gc-card");
  EXPECT_EQ(items[1].saves.at(0).game.title, "Kite Foundry");
  Bytes cut = read(folder_ / "den/cards/left.card");
  cut.resize(50'000);
  folder_.write("cut.card", cut);
  items.clear();
  ASSERT_TRUE(
      look(session, folder_ / "cut.card", {}, [&](const Item& item) { items.push_back(item); }));
  EXPECT_EQ(items.at(0).layout, "ps1-card");
  EXPECT_TRUE(has_error(items[0].findings));
}

TEST_F(CardBays, NothingIsTakenFromACardByMistake) {
  Session session = open();
  EXPECT_EQ(show_card(session, at("den/notes.txt"), "").error().code, Code::no_match);
  EXPECT_EQ(show_card(session, at("den/notes.txt"), "ps1-card").error().code, Code::damaged);
  EXPECT_EQ(show_card(session, at("den/notes.txt"), "n64-sram").error().code, Code::unknown_layout);
  TakeRequest take;
  take.card = at("den/cards/left.card");
  take.names = {"#1"};
  take.as = "ps1-card";
  take.out = folder_ / "out";
  EXPECT_EQ(take_saves(session, take).error().trouble, Trouble::usage);
  take.as = "";
  take.names = {"nothing like it"};
  EXPECT_EQ(take_saves(session, take).error().code, Code::no_match);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "out"));
  EXPECT_FALSE(save_by_name(session, at("den/cards/left.card") + ":#9", ""));
  EXPECT_EQ((*save_by_name(session, at("den/cards/left.card") + ":#1", ""))->name,
            "BASLUS-00417NIGHT");
}

}  // namespace
}  // namespace bayswap
