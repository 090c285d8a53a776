// Cards as people have them: one for each game or shared, single saves by region and slot.
#include <gtest/gtest.h>

#include <array>
#include <cstdio>
#include <functional>
#include <random>

#include "bayswap/card_file.h"
#include "bayswap/look.h"
#include "demo/card_makers.h"
#include "support/golden_small_cards.h"
#include "support/real_place.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

// A game of the made-up world: its code and title.
struct CardGame {
  std::string code;
  std::string title;
  Region region;
};

class GameCards : public test::RealPlaceTest {
 protected:
  void SetUp() override {
    test::RealPlaceTest::SetUp();
    std::string catalog;
    for (const System system : {System::ps1, System::gc})
      for (const CardGame& game : games(system))
        catalog += "[[game]]\ntitle = \"" + game.title + "\"\nsystem = \"" +
                   std::string(to_string(system)) + "\"\n[game.codes]\n" +
                   std::string(to_string(game.region)) + " = \"" + game.code + "\"\n";
    folder_.write("own/config/catalog.toml", catalog);
  }

  static std::vector<CardGame> games(System system) {
    if (system == System::ps1)
      return {{"SLUS-00417", "Paper Observatory", Region::america},
              {"SLUS-00520", "Regatta Cup", Region::america},
              {"SLUS-01033", "Moss & Motor", Region::america},
              {"SLUS-01200", "Quarry", Region::america},
              {"SLES-02001", "Gull Coast", Region::europe},
              {"SLES-02700", "Tin Orchard", Region::europe},
              {"SLES-03311", "Copper Tide", Region::europe}};
    return {{"GKFE", "Kite Foundry", Region::america}, {"GMSE", "Moss & Motor", Region::america},
            {"GQRE", "Quarry", Region::america},       {"GTOE", "Tin Orchard", Region::america},
            {"GGCP", "Gull Coast", Region::europe},    {"GCTP", "Copper Tide", Region::europe},
            {"GRCP", "Regatta Cup", Region::europe}};
  }

  static Save save_of(System system, const CardGame& game, std::uint32_t seed,
                      const std::string& part = "A") {
    if (system == System::ps1)
      return demo::ps1_save((game.region == Region::europe ? "BE" : "BA") + game.code + part,
                            "Day " + std::to_string(seed % 90), 1, demo::Art::moon, seed);
    return demo::gc_save(game.code, game.title.substr(0, 4) + part, game.title, "Day", 2,
                         demo::Art::kite, seed);
  }

  static Bytes card(System system, const std::vector<Save>& saves) {
    return system == System::ps1 ? demo::card_with("ps1-card", 15, saves)
                                 : demo::card_with("gc-card", 59, saves);
  }

  // Every save on the cards below a place, by card and name.
  std::map<std::string, Bytes> saves_in(const std::string& place) {
    std::map<std::string, Bytes> found;
    Session session = open();
    for (const auto& [path, bytes] : test::contents(folder_ / place)) {
      const auto shown = show_card(session, (folder_ / place / path).string(), "");
      if (!shown) continue;
      for (const CardSave& on_card : shown->card.saves)
        found[path + ":" + on_card.save.name] = on_card.save.parts.at(0).data;
    }
    return found;
  }
};

TEST_F(GameCards, ASaveGoesOnlyToItsOwnGamesCard) {
  const auto all = games(System::ps1);
  const std::vector<std::function<std::string(const CardGame&, int)>> namings{
      [](const CardGame& game, int slot) { return game.code + "_" + std::to_string(slot); },
      [](const CardGame& game, int slot) {
        return game.code.substr(0, 4) + game.code.substr(5) + "-" + std::to_string(slot);
      },
      [](const CardGame& game, int slot) { return game.title + "_" + std::to_string(slot); },
      [](const CardGame& game, int slot) {
        return game.title + (game.region == Region::europe ? " (Europe)_" : " (USA)_") +
               std::to_string(slot);
      },
  };
  for (std::size_t naming = 0; naming < namings.size(); ++naming) {
    const std::string place = "p" + std::to_string(naming);
    const auto name = [&](std::size_t game, int slot) {
      return "memcards/" + namings[naming](all[game], slot) + ".mcd";
    };
    // The first four and a European one have cards; one of these is empty.
    for (const std::size_t game : {0U, 1U, 2U, 4U})
      for (const int slot : {1, 2})
        folder_.write(
            place + "/" + name(game, slot),
            card(System::ps1, slot == 2 ? std::vector<Save>{}
                                        : std::vector{save_of(System::ps1, all[game],
                                                              static_cast<std::uint32_t>(game))}),
            30);
    junk(place);
    for (const bool learned : {false, true}) {
      SCOPED_TRACE(place + (learned ? " learned" : ""));
      if (learned) learn(place);
      const std::string to = learned ? place : at(place);
      const auto before = test::snapshot(folder_ / place);
      const auto saves = saves_in(place);
      const auto carries = [&](std::size_t game, const std::string& expected, bool fresh) {
        const Save save = save_of(System::ps1, all[game], 77, "B");
        folder_.write("dl/any.mcr", card(System::ps1, {save}));
        const CarryReport report = carry_one(at("dl/any.mcr") + ":#1", to);
        ASSERT_EQ(stop_code(report), "") << report.moves.at(0).checks.back().text;
        EXPECT_EQ(move_of(report).to, at(place + "/" + expected));
        auto now = saves_in(place);
        EXPECT_EQ(now.size(), saves.size() + 1);
        now.erase(expected + ":" + save.name);
        EXPECT_EQ(now, saves) << "nothing else changed";
        EXPECT_EQ(!move_of(report).replaces, fresh);
        expect_undo_restores(place, before);
      };
      carries(1, name(1, 1), false);
      carries(4, name(4, 1), false);
      carries(3, name(3, 1), true);
      carries(5, name(5, 1), true);
    }
  }
}

// A card that games share, beside cards of one game each: these stay their games' own.
TEST_F(GameCards, ASharedCardBesideThem) {
  const auto all = games(System::ps1);
  for (const std::size_t game : {0U, 1U})
    folder_.write("p/" + all[game].code + "_1.mcd",
                  card(System::ps1, {save_of(System::ps1, all[game], 1)}), 30);
  folder_.write(
      "p/shared.mcd",
      card(System::ps1, {save_of(System::ps1, all[2], 2), save_of(System::ps1, all[3], 3)}), 30);
  folder_.write("dl/own.mcr", card(System::ps1, {save_of(System::ps1, all[1], 4, "B")}));
  EXPECT_EQ(move_of(carry_one(at("dl/own.mcr") + ":#1", at("p"))).to,
            at("p/" + all[1].code + "_1.mcd"));
  const Save fresh = save_of(System::ps1, all[4], 5);
  folder_.write("dl/new.mcr", card(System::ps1, {fresh}));
  const auto old = saves_in("p");
  EXPECT_EQ(stop_code(carry_one(at("dl/new.mcr") + ":#1", at("p"))), "");
  auto now = saves_in("p");
  EXPECT_EQ(now.erase(all[4].code + "_1.mcd:" + fresh.name), 1U);
  EXPECT_EQ(now, old);
}

// Cards that games share stay what they are, also where each happens to hold one game.
TEST_F(GameCards, SharedCardsAreNoGamesCards) {
  const auto all = games(System::ps1);
  folder_.write("p/left.mcd", card(System::ps1, {save_of(System::ps1, all[0], 1)}), 30);
  folder_.write("p/right.mcd", card(System::ps1, {save_of(System::ps1, all[1], 2)}), 30);
  folder_.write("dl/any.mcr", card(System::ps1, {save_of(System::ps1, all[2], 3)}));
  const CarryReport report = carry_one(at("dl/any.mcr") + ":#1", at("p"));
  EXPECT_EQ(stop_code(report), "");
  EXPECT_TRUE(move_of(report).replaces);
}

// How a place keeps the saves of cards.
struct CardHabit {
  System system = System::ps1;
  enum { by_code, by_title, shared, single } kind = by_code;
  std::string folder;
  bool dash = true;
  bool tags = false;
  std::string mark = "_";
  bool numbers = true;

  [[nodiscard]] std::string path(const CardGame& game, const Save& save) const {
    const bool europe = game.region == Region::europe;
    const std::string end = system == System::ps1 ? ".mcd" : ".raw";
    const std::string number = numbers ? mark + "1" : "";
    std::string code = game.code;
    if (!dash && code.size() > 4) code.erase(4, 1);
    switch (kind) {
      case by_code: return folder + code + number + end;
      case by_title:
        return folder + game.title + (tags ? (europe ? " (Europe)" : " (USA)") : "") + number + end;
      case shared: return folder + (europe ? "Europe" : "America") + mark + "1" + end;
      default:
        if (system == System::gc)
          return folder + (europe ? "EUR" : "USA") + "/Card A/7Q-" + game.code + "-" + save.name +
                 ".gci";
        return folder + save.name + ".mcs";
    }
  }
};

TEST_F(GameCards, RandomSavesGoBetweenRandomCardFolders) {
  const int pairs = test::rounds(96, 8);
  int right = 0;
  int stopped = 0;
  for (int round = 0; round < pairs; ++round) {
    SCOPED_TRACE(round);
    std::mt19937 numbers(static_cast<std::uint32_t>(round));
    const System system = numbers() % 2 == 0 ? System::ps1 : System::gc;
    const auto habit = [&] {
      CardHabit how;
      how.system = system;
      how.kind = static_cast<decltype(how.kind)>(numbers() % 4);
      static const std::array<std::string, 4> kFolders{"", "memcards/", "a/My Cards/", "x.y/"};
      how.folder = kFolders[numbers() % kFolders.size()];
      how.dash = numbers() % 2 == 0;
      how.tags = numbers() % 2 == 0;
      how.numbers = numbers() % 3 != 0;
      how.mark = std::array<std::string, 3>{"_", " ", "-"}[numbers() % 3];
      return how;
    };
    const CardHabit one = habit();
    const CardHabit other = habit();
    std::vector<CardGame> all = games(system);
    std::shuffle(all.begin(), all.end(), numbers);
    // The destination knows some games, of both regions, and the source one more.
    const std::size_t known = 4 + numbers() % 3;
    const auto fill = [&](const std::string& place, const CardHabit& how, std::size_t count,
                          std::uint32_t seed, int age) {
      std::map<std::string, std::vector<Save>> cards;
      for (std::size_t i = 0; i < count; ++i) {
        const Save save = save_of(system, all[i], seed + static_cast<std::uint32_t>(i));
        cards[how.path(all[i], save)].push_back(save);
      }
      for (const auto& [path, saves] : cards) {
        Bytes bytes = card(system, saves);
        if (how.kind == CardHabit::single)
          bytes = (*find_layout(system == System::ps1 ? "ps1-single" : "gc-single"))
                      ->write({std::span(saves.data(), 1), std::nullopt, {}})
                      ->bytes;
        folder_.write(place + "/" + path, bytes, age);
      }
      junk(place);
    };
    fill("one", one, all.size(), 100, 5);
    fill("other", other, known, 200, 40);
    const std::size_t which = numbers() % all.size();
    const CardGame& game = all[which];
    const Save save = save_of(system, game, 100 + static_cast<std::uint32_t>(which));
    const auto before = test::snapshot(folder_ / "other");
    const auto old = test::contents(folder_ / "other");
    const auto saves = saves_in("other");
    CarryRequest request;
    request.saves = {at("one/" + one.path(game, save)) +
                     (one.kind == CardHabit::single ? "" : ":" + save.name)};
    request.to = at("other");
    request.accept = {Code::newer_there};
    Session session = open();
    const auto report = carry(session, request);
    const bool done =
        report && report->moves.size() == 1 && report->moves[0].status == MoveStatus::done;
    if (!done) {
      ++stopped;
      EXPECT_EQ(test::snapshot(folder_ / "other"), before) << "stopped, so nothing changed";
      if (test::long_run())
        std::printf("%d stopped: %s -> %s: %s\n", round, one.path(game, save).c_str(),
                    other.path(game, save).c_str(),
                    !report ? report.error().text.c_str()
                    : report->moves.empty() || report->moves[0].checks.empty()
                        ? "?"
                        : report->moves[0].checks.back().text.c_str());
    } else {
      ++right;
      EXPECT_EQ(report->moves[0].to, at("other/" + other.path(game, save))) << one.path(game, save);
      // Files of other games are untouched, and so are other saves of a shared card.
      for (const auto& [path, bytes] : old) {
        if ((folder_ / "other" / path).string() == report->moves[0].to) continue;
        EXPECT_TRUE(test::read(folder_ / "other" / path) == bytes) << path;
      }
      auto now = saves_in("other");
      for (const auto& [name, bytes] : saves) {
        if (name.ends_with(":" + save.name) && name.starts_with(other.path(game, save))) continue;
        EXPECT_TRUE(now[name] == bytes) << name;
      }
      Session last = open();
      EXPECT_TRUE(undo(last, "", {}));
      EXPECT_EQ(test::snapshot(folder_ / "other"), before);
    }
    std::filesystem::remove_all(folder_ / "one");
    std::filesystem::remove_all(folder_ / "other");
  }
  std::printf("%d right, %d stopped\n", right, stopped);
  EXPECT_GE(right * 100, pairs * 97);
}

// A card that a program keeps as a folder, with pieces of a card and lists beside its saves.
TEST_F(GameCards, ACardKeptAsAFolder) {
  const auto save = [](const std::string& name, std::uint32_t seed) {
    return demo::ps2_save(name, "Velvet Signal", "Channel 3", 3000, 0x80, seed);
  };
  const Bytes whole = demo::card_with("ps2-card", 8000, {save("BASLUS-20731A", 1)});
  folder_.write("whole.card", whole);
  const auto keep_as_folder = [&](const std::string& folder, const Save& one) {
    std::string list;
    for (const Part& part : one.parts) {
      folder_.write(folder + "/" + one.name + "/" + part.name, part.data, 30);
      list += "- name: " + part.name + "\n";
    }
    folder_.write(folder + "/" + one.name + "/_index", list);
  };
  for (const std::string name : {"BASLUS-20731A", "BASLUS-20731B", "BASLUS-20999C"})
    keep_as_folder("cards/Mem1", save(name, static_cast<std::uint32_t>(name.back())));
  folder_.write("cards/Mem1/_superblock", Bytes(whole.begin(), whole.begin() + 8192));
  junk("cards");
  const auto before = test::snapshot(folder_ / "cards");
  Session session = open();
  const auto shown = show_card(session, at("cards/Mem1"), "");
  ASSERT_TRUE(shown) << shown.error().text;
  ASSERT_EQ(shown->card.saves.size(), 3U);
  EXPECT_EQ(shown->card.saves[0].save.parts.size(), 3U) << "the list is none of its files";
  std::size_t cards = 0;
  ASSERT_TRUE(look(session, folder_ / "cards", {}, [&](const Item& item) {
    if (item.card || !item.candidates.empty()) ++cards;
    if (item.path.ends_with("_superblock")) {
      EXPECT_FALSE(item.kind) << "no card";
    }
  }));
  EXPECT_EQ(cards, 0U);
  // Taken from it, dropped, put on it.
  TakeRequest take;
  take.card = at("cards/Mem1");
  take.names = {"BASLUS-20731B"};
  take.out = folder_ / "out";
  ASSERT_TRUE(take_saves(session, take));
  EXPECT_TRUE(std::filesystem::exists(folder_ / "out/BASLUS-20731B"));
  const auto dropped = drop_saves(session, {at("cards/Mem1"), {"BASLUS-20731B"}, "", false, {}});
  ASSERT_TRUE(dropped) << dropped.error().text;
  EXPECT_FALSE(std::filesystem::exists(folder_ / "cards/Mem1/BASLUS-20731B"));
  expect_undo_restores("cards", before);
  folder_.write("more.card", demo::card_with("ps2-card", 8000, {save("BASLUS-20999D", 9)}));
  // A bay that lies around the folder is not meant.
  learn("cards");
  const auto put = put_saves(session, {at("cards/Mem1"), {at("more.card") + ":#1"}, "", false, {}});
  ASSERT_TRUE(put) << put.error().text;
  EXPECT_EQ(stop_code(*put), "");
  EXPECT_TRUE(std::filesystem::exists(folder_ / "cards/Mem1/BASLUS-20999D/icon.sys"));
  expect_undo_restores("cards", before);
}

// Saves without a code: the files' names alone tell that each game has its own.
class NamedCards : public test::RealPlaceTest {
 protected:
  static Bytes pce(const std::string& name, std::uint32_t seed) {
    return test::golden_pce({test::pce_entry(name, test::random_bytes(60, seed))});
  }
  static Bytes saturn(const std::string& name, std::uint32_t seed) {
    test::SaturnSave save;
    save.name = name;
    save.blocks = {2, 3, 4, 5};
    save.data = test::random_bytes(200, seed);
    return test::golden_saturn(false, {save});
  }
};

TEST_F(NamedCards, ASaveNeverGoesIntoAnotherGamesCard) {
  const std::vector<std::string> games{"Kite Harbour", "Moss", "Tin Lantern", "Quay"};
  struct Kind {
    std::string name;
    std::string there;  // behind a game's name
    std::string here;
    Bytes (*card)(const std::string&, std::uint32_t);
  };
  for (const Kind& kind :
       {Kind{"pce", " (Japan).mem", " (Japan).sav", pce}, Kind{"pce-plain", ".mem", ".kept", pce},
        Kind{"saturn", " (Japan).inner", ".ram", saturn}}) {
    SCOPED_TRACE(kind.name);
    const std::string there = kind.name + "-there";
    const std::string here = kind.name + "-here";
    for (std::size_t i = 0; i < 3; ++i)
      folder_.write(
          there + "/" + games[i] + kind.there,
          kind.card(test::upper(games[i].substr(0, 4)) + "_1", static_cast<std::uint32_t>(i)), 30);
    for (std::size_t i = 1; i < 4; ++i)
      folder_.write(
          here + "/" + games[i] + kind.here,
          kind.card(test::upper(games[i].substr(0, 4)) + "_1", static_cast<std::uint32_t>(i) + 50),
          2);
    junk(there);
    const auto before = test::snapshot(folder_ / there);
    for (const bool learned : {false, true}) {
      if (learned) learn(there);
      CarryRequest request;
      request.to = learned ? there : at(there);
      // A game that has a card there, and one that has none.
      request.saves = {at(here + "/Moss" + kind.here)};
      EXPECT_EQ(move_of(carry_it(request)).to, at(there + "/Moss" + kind.there));
      expect_undo_restores(there, before);
      request.saves = {at(here + "/Quay" + kind.here)};
      const std::string tags = kind.here.substr(0, kind.here.find('.'));
      const MoveReport made = move_of(carry_it(request));
      EXPECT_EQ(Path(made.to).filename().string(),
                "Quay" + tags + kind.there.substr(kind.there.find('.')));
      auto now = test::snapshot(folder_ / there);
      now.erase(Path(made.to).filename().string());
      now["."] = before.at(".");
      for (const auto& [path, content] : before) EXPECT_EQ(now[path], content) << path;
      expect_undo_restores(there, before);
    }
  }
}

}  // namespace
}  // namespace bayswap
