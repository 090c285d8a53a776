// A zoo of made-up programs: each keeps the saves of the same games in its own way. All of them are
// learned from few examples, and saves go from each to others and back.
#include <gtest/gtest.h>

#include <algorithm>

#include "bayswap/bay.h"
#include "bayswap/carry.h"
#include "demo/makers.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/folder.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

using test::TempFolder;
using test::operator+;

struct ZooGame {
  System system;
  std::string stem;
  std::string title;  // as people write it
  std::string header;
  std::string code;  // empty where the header has none
  std::string extension;
};

const std::vector<ZooGame> kGames{
    {System::gba, "Moss & Motor (Europe)", "Moss & Motor", "MOSSMOTOR", "BMME", ".gba"},
    {System::gba, "Cinder Vale (Japan) (Rev 1)", "Cinder Vale", "CINDERVALE", "BCVJ", ".gba"},
    {System::n64, "Copper Tide (America)", "Copper Tide", "COPPER TIDE", "NCTE", ".z64"},
    {System::n64, "Harbour Six (Europe)", "Harbour Six", "HARBOUR SIX", "NHSP", ".z64"},
    {System::snes, "Lantern Drift (Europe)", "Lantern Drift", "LANTERN DRIFT", "", ".sfc"},
    {System::snes, "Reed Almanac", "Reed Almanac", "REED ALMANAC", "", ".sfc"}};

/// One program's habit for one system. In paths STEM, TITLE, HEADER, CODE and EXT stand for the
/// game's own.
struct Keeping {
  System system;
  std::string rom;
  std::string save;
  std::string pattern;
  std::string layout;
};

struct Program {
  std::string name;
  std::vector<Keeping> keeps;
  std::vector<std::string> states;    // files in slots, with STEM
  std::vector<std::string> patterns;  // that states are to be learned by
};

std::vector<Program> programs() {
  const std::string rom = "roms/STEM.EXT";
  const auto three = [&](const std::string& roms, const std::string& save,
                         const std::string& pattern, const std::string& n64 = "n64-sram") {
    return std::vector<Keeping>{{System::gba, roms, save, pattern, "gba-sram"},
                                {System::n64, roms, save, pattern, n64},
                                {System::snes, roms, save, pattern, "snes-battery"}};
  };
  return {
      {"all beside their ROMs", three("STEM.EXT", "STEM.sav", "{stem}.sav"), {}, {}},
      {"one folder for all", three(rom, "saves/STEM.srm", "saves/{stem}.srm"), {}, {}},
      {"combined containers",
       three(rom, "saves/STEM.srm", "saves/{stem}.srm", "n64-combined-swap32"),
       {},
       {}},
      {"words turned round",
       three(rom, "battery/STEM.bin", "battery/{stem}.bin", "n64-sram-swap32"),
       {},
       {}},
      {"a folder for each game",
       three("games/STEM/STEM.EXT", "games/STEM/keep.dat", "games/{stem}/keep.dat"),
       {},
       {}},
      {"a folder for each system",
       {{System::gba, "lib/advance/STEM.EXT", "data/advance/STEM.SAV", "data/advance/{stem}.SAV",
         "gba-sram"},
        {System::n64, "lib/sixty/STEM.EXT", "data/sixty/STEM.sra", "data/sixty/{stem}.sra",
         "n64-sram"},
        {System::snes, "lib/super/STEM.EXT", "data/super/x-STEM.s", "data/super/x-{stem}.s",
         "snes-battery"}},
       {},
       {}},
      {"by title", three(rom, "memory/TITLE.sv", "memory/{title}.sv"), {}, {}},
      {"by the header's title", three(rom, "nv/HEADER (nv).ram", "nv/{title} (nv).ram"), {}, {}},
      {"by code where there is one",
       {{System::gba, rom, "flash/CODE.bin", "flash/{code}.bin", "gba-sram"},
        {System::n64, rom, "flash/CODE.bin", "flash/{code}.bin", "n64-sram"},
        {System::snes, rom, "flash/STEM.bin", "flash/{stem}.bin", "snes-battery"}},
       {},
       {}},
      {"states in slots beside saves",
       three("g/STEM.EXT", "g/STEM.sav", "g/{stem}.sav"),
       {"g/STEM.st0", "g/STEM.st1", "g/STEM.st7"},
       {"g/{stem}.st{slot}"}},
      {"the first state has no number",
       three(rom, "s/STEM.srm", "s/{stem}.srm"),
       {"quick/STEM.state", "quick/STEM.state1", "quick/STEM.state2"},
       {"quick/{stem}.state{slot:first }"}},
      {"states with two digits in folders of their own",
       three(rom, "s/STEM.srm", "s/{stem}.srm"),
       {"shots/STEM/slot 00.snap", "shots/STEM/slot 01.snap", "shots/STEM/slot 12.snap"},
       {"shots/{stem}/slot {slot:pad 2}.snap"}},
      {"the first state has a letter",
       three(rom, "s/STEM.srm", "s/{stem}.srm"),
       {"quick/STEM.qsa", "quick/STEM.qs1", "quick/STEM.qs2"},
       {"quick/{stem}.qs{slot:first a}"}},
      {"one state a game",
       three(rom, "s/STEM.srm", "s/{stem}.srm"),
       {"resume/STEM.state"},
       {"resume/{stem}.state"}},
  };
}

std::string filled_in(std::string text, const ZooGame& game) {
  for (const auto& [word, value] : {std::pair{"STEM", game.stem},
                                    {"TITLE", game.title},
                                    {"HEADER", game.header},
                                    {"CODE", game.code},
                                    {".EXT", game.extension}})
    for (std::size_t at = text.find(word); at != std::string::npos; at = text.find(word))
      text.replace(at, std::string(word).size(), value);
  return text;
}

Bytes rom_of(const ZooGame& game) {
  if (game.system == System::gba) return demo::gba_rom(game.header, game.code, "SRAM_V113");
  if (game.system == System::n64) return demo::n64_rom(game.header, game.code);
  return demo::snes_rom(game.header, 2, 3);
}

Bytes chip_of(const ZooGame& game, std::uint32_t seed) {
  return demo::progress(game.header, game.system == System::snes ? 0x2000 : 0x8000, seed,
                        game.system == System::snes ? std::byte{0x00} : std::byte{0xFF});
}

// The file as the program writes it, by hand.
Bytes file_of(const Keeping& keeping, const Bytes& chip) {
  if (keeping.layout == "n64-combined-swap32") return demo::n64_container({}, {}, chip);
  if (keeping.layout != "n64-sram-swap32") return chip;
  Bytes turned(chip.size());
  for (std::size_t i = 0; i < chip.size(); ++i) turned[i ^ 3U] = chip[i];
  return turned;
}

Bytes state_of(const ZooGame& game, std::uint32_t seed) {
  Bytes bytes = test::random_bytes(300'000 + seed * 17, seed);
  test::put(bytes, 0, "SNAPSHOT OF " + game.header);
  return bytes;
}

const Keeping& keeping_of(const Program& program, const ZooGame& game) {
  return *std::ranges::find(program.keeps, game.system, &Keeping::system);
}

void build(const TempFolder& folder, const Program& program, std::uint32_t seed) {
  for (const ZooGame& game : kGames) {
    const Keeping& keeping = keeping_of(program, game);
    folder.write(filled_in(keeping.rom, game), rom_of(game));
    folder.write(filled_in(keeping.save, game), file_of(keeping, chip_of(game, ++seed)), 5);
    for (const std::string& state : program.states)
      folder.write(filled_in(state, game), state_of(game, ++seed));
  }
  folder.write("config/settings.ini", std::string("volume=3\n"));
  folder.write("art/" + kGames[0].stem + ".jpg",
               test::bytes({0xFF, 0xD8, 0xFF}) + test::random_bytes(40'000, 2));
}

// An n64 ROM does not say its chip, so people's catalogs do.
constexpr const char* kCatalog = R"toml(
[[game]]
title = "Copper Tide"
system = "n64"
chip = "sram"
codes = { america = "NCTE" }
[[game]]
title = "Harbour Six"
system = "n64"
chip = "sram"
codes = { europe = "NHSP" }
)toml";

class Zoo : public testing::Test {
 protected:
  Session session_of() const {
    auto session = Session::open(disk(), {own_ / "config", own_ / "data"});
    EXPECT_TRUE(session);
    return std::move(*session);
  }
  void learn(Session& session, const std::string& name, const TempFolder& folder) {
    const auto bay = learn_bay(disk(), session.catalog, name, folder.path());
    ASSERT_TRUE(bay) << bay.error().text;
    ASSERT_TRUE(session.bays.put(disk(), session.bays_file(), *bay));
  }
  void carry_all(Session& session, const std::string& from, const std::string& to) {
    CarryRequest request;
    request.all = true;
    request.from = from;
    request.to = to;
    request.accept = {Code::newer_there};
    const auto report = carry(session, request);
    ASSERT_TRUE(report) << report.error().text;
    for (const MoveReport& move : report->moves)
      for (const Finding& check : move.checks) {
        // Several states cannot all go to the one that a program keeps for each game.
        const bool states = move.to_layout.empty() && check.code == Code::name_taken;
        EXPECT_TRUE(move.status != MoveStatus::stopped || states)
            << to_string(check.code) << ": " << check.text;
      }
  }
  TempFolder own_;
};

TEST_F(Zoo, EveryHabitIsLearnedFromTwoExamples) {
  for (const Program& program : programs()) {
    SCOPED_TRACE(program.name);
    const TempFolder folder;
    build(folder, program, 10);
    const auto bay = learn_bay(disk(), {}, "zoo", folder.path());
    ASSERT_TRUE(bay) << bay.error().text;
    EXPECT_EQ(bay->shelves.size(), program.keeps.size() + program.patterns.size() * 3);
    for (const Keeping& keeping : program.keeps) {
      const auto shelf = std::ranges::find_if(bay->shelves, [&](const Shelf& one) {
        return one.system == keeping.system && one.kind == Kind::battery;
      });
      ASSERT_NE(shelf, bay->shelves.end());
      EXPECT_EQ(shelf->pattern, keeping.pattern);
      EXPECT_EQ(shelf->layout.front(), keeping.layout);
      EXPECT_EQ(shelf->explains, 2U);
      EXPECT_EQ(shelf->of, 2U);
    }
    for (const Shelf& shelf : bay->shelves) {
      if (shelf.kind != Kind::state) continue;
      EXPECT_NE(std::ranges::find(program.patterns, shelf.pattern), program.patterns.end())
          << shelf.pattern;
      EXPECT_EQ(shelf.explains, 2 * program.states.size()) << shelf.pattern;
    }
    EXPECT_TRUE(bay->questions.empty()) << bay->questions.front();
    EXPECT_EQ(bay->unexplained.size(), 2U) << "the settings and the picture";
    // What is written into the file is read back as it was learned.
    auto list = *BayList::load(disk(), own_ / "zoo.toml");
    ASSERT_TRUE(list.put(disk(), own_ / "zoo.toml", *bay));
    const auto again = BayList::load(disk(), own_ / "zoo.toml");
    ASSERT_TRUE(again) << again.error().text;
    const Bay& back = **again->find("zoo");
    ASSERT_EQ(back.shelves.size(), bay->shelves.size());
    for (std::size_t i = 0; i < back.shelves.size(); ++i) {
      EXPECT_EQ(back.shelves[i].pattern, bay->shelves[i].pattern);
      EXPECT_EQ(back.shelves[i].kind, bay->shelves[i].kind);
      EXPECT_EQ(back.shelves[i].layout, bay->shelves[i].layout);
    }
  }
}

TEST_F(Zoo, SavesGoFromEachToOthersAndBack) {
  const std::vector<Program> zoo = programs();
  for (std::size_t i = 0; i < zoo.size(); i += test::step_of(3))
    for (const std::size_t step : {1U, 3U}) {
      const Program& from = zoo[i];
      const Program& to = zoo[(i + step) % zoo.size()];
      SCOPED_TRACE(from.name + " -> " + to.name);
      const TempFolder here;
      const TempFolder there;
      build(here, from, 100);
      build(there, to, 500);
      std::filesystem::remove_all(own_ / "config");
      Session session = session_of();
      session.catalog = *Catalog::parse(kCatalog, "catalog.toml");
      learn(session, "here", here);
      learn(session, "there", there);
      if (HasFatalFailure()) return;
      carry_all(session, "here", "there");
      for (const ZooGame& game : kGames) {
        const Keeping& a = keeping_of(from, game);
        const Keeping& b = keeping_of(to, game);
        std::uint32_t seed = 100;
        for (const ZooGame& other : kGames) {
          ++seed;
          if (&other == &game) break;
          seed += static_cast<std::uint32_t>(from.states.size());
        }
        const Bytes chip = chip_of(game, seed);
        EXPECT_EQ(test::read(here / filled_in(a.save, game)), file_of(a, chip)) << game.stem;
        EXPECT_EQ(test::read(there / filled_in(b.save, game)), file_of(b, chip)) << game.stem;
      }
      const auto before = test::contents(here.path());
      carry_all(session, "there", "here");
      const auto after = test::contents(here.path());
      for (const auto& [name, bytes] : before)
        EXPECT_EQ(after.at(name), bytes) << name << ": nothing left to do on the way back";
      EXPECT_TRUE(from.states.empty() || !to.states.empty() || after.size() == before.size());
    }
}

// Cards of one console: as one image, numbered ones, one for each region, and as folders of saves.
class ZooCards : public Zoo {
 protected:
  static Save save_of(const std::string& name, std::uint32_t seed) {
    Save save;
    save.system = System::ps2;
    save.kind = Kind::card_save;
    save.name = name;
    save.modified = Time{std::chrono::seconds{1'700'000'000}};
    save.parts.push_back({"icon.sys", test::icon_sys("Signal", ""), false, {}});
    save.parts.push_back({name, test::random_bytes(30'000, seed), false, {}});
    return save;
  }
  static Bytes card_with(const std::string& layout, const std::vector<Save>& saves) {
    const CardLayout& card = test::card_layout(layout);
    CardChange change;
    change.put = saves;
    return card.change(test::small_card(layout), change)->bytes;
  }
  static std::vector<std::string> names_on(const Path& card, const std::string& layout) {
    std::vector<std::string> names;
    const auto opened = test::card_layout(layout).open(test::read(card));
    for (const CardSave& save : opened->saves) names.push_back(save.save.name);
    return names;
  }
};

TEST_F(ZooCards, NumberedImagesShareAShelf) {
  const TempFolder folder;
  folder.write("memory/Card 1.bin", card_with("ps2-card", {save_of("BASLUS-20001A", 1)}));
  folder.write("memory/Card 2.bin", card_with("ps2-card", {save_of("BASLUS-20002B", 2)}));
  folder.write("memory/other.bin", card_with("ps2-card", {}));
  const auto bay = learn_bay(disk(), {}, "zoo", folder.path());
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_EQ(bay->shelves.size(), 2U);
  EXPECT_EQ(bay->shelves[0].pattern, "memory/Card {slot}.bin");
  EXPECT_EQ(bay->shelves[0].kind, Kind::card_save);
  EXPECT_EQ(bay->shelves[0].explains, 2U);
  EXPECT_EQ(bay->shelves[1].pattern, "memory/other.bin");
}

TEST_F(ZooCards, AnEmptyCardIsForTheRegionOfItsFolder) {
  const TempFolder here;
  const TempFolder there;
  here.write("one.bin", card_with("ps2-card", {save_of("BESLES-50001X", 1)}));
  there.write("USA/card.bin", card_with("ps2-card", {}));
  there.write("EUR/card.bin", card_with("ps2-card-ecc", {}));
  Session session = session_of();
  learn(session, "here", here);
  learn(session, "there", there);
  carry_all(session, "here", "there");
  EXPECT_EQ(names_on(there / "EUR/card.bin", "ps2-card-ecc"),
            std::vector<std::string>{"BESLES-50001X"});
  EXPECT_TRUE(names_on(there / "USA/card.bin", "ps2-card").empty());
  // With the other region's card alone there, the save stops.
  std::filesystem::remove(there / "EUR/card.bin");
  CarryRequest request;
  request.all = true;
  request.from = "here";
  request.to = "there";
  const auto report = carry(session, request);
  ASSERT_TRUE(report);
  ASSERT_EQ(report->moves.size(), 1U);
  EXPECT_EQ(report->moves[0].status, MoveStatus::stopped);
  EXPECT_EQ(report->moves[0].checks.front().code, Code::region_differs);
}

TEST_F(ZooCards, ImagesAndFoldersOfSavesExchangeThem) {
  const TempFolder image;
  const TempFolder folders;
  const Save first = save_of("BASLUS-20001A", 1);
  const Save second = save_of("BASLUS-20002B", 2);
  image.write("cards/left.bin", card_with("ps2-card-ecc", {first}));
  for (const Part& part : second.parts)
    folders.write("cards/main/" + second.name + "/" + part.name, part.data);
  Session session = session_of();
  learn(session, "image", image);
  learn(session, "folders", folders);
  if (HasFatalFailure()) return;
  EXPECT_EQ((*session.bays.find("folders"))->shelves.front().pattern, "cards/main/{label}");
  EXPECT_EQ((*session.bays.find("folders"))->shelves.front().kind, Kind::folder);
  const auto before = test::snapshot(folders.path());
  carry_all(session, "image", "folders");
  for (const Part& part : first.parts)
    EXPECT_EQ(test::read(folders / ("cards/main/" + first.name + "/" + part.name)), part.data);
  carry_all(session, "folders", "image");
  const auto card = test::card_layout("ps2-card-ecc").open(test::read(image / "cards/left.bin"));
  ASSERT_TRUE(card);
  ASSERT_EQ(card->saves.size(), 2U);
  EXPECT_TRUE(same_card_save(card->saves[0].save, first));
  EXPECT_TRUE(same_card_save(card->saves[1].save, second));
  ASSERT_TRUE(undo(session, "", {}));
  ASSERT_TRUE(undo(session, "", {}));
  EXPECT_EQ(test::snapshot(folders.path()), before);
}

// A save of a card for another region does not join folders that are all for one.
TEST_F(ZooCards, FoldersOfOneRegionStopAnother) {
  const TempFolder image;
  const TempFolder folders;
  const Save own = save_of("BASLUS-20002B", 2);
  image.write("left.bin", card_with("ps2-card", {save_of("BESLES-50001X", 1)}));
  for (const Part& part : own.parts) folders.write("m/" + own.name + "/" + part.name, part.data);
  Session session = session_of();
  learn(session, "image", image);
  learn(session, "folders", folders);
  CarryRequest request;
  request.all = true;
  request.from = "image";
  request.to = "folders";
  const auto report = carry(session, request);
  ASSERT_TRUE(report);
  EXPECT_EQ(report->moves.front().status, MoveStatus::stopped);
  EXPECT_EQ(report->moves.front().checks.front().code, Code::region_differs);
}

// A save and a ROM of other names: how sure it is that they belong together is said.
TEST_F(Zoo, ThePlanSaysHowSureARomIs) {
  const TempFolder here;
  const TempFolder there;
  const ZooGame& moss = kGames[0];
  here.write("Moss and so on.gba", rom_of(moss));
  here.write("Moss and so on.sav", chip_of(moss, 1));
  there.write("Moss & Motor [a].gba", rom_of(moss));
  there.write("Moss & Motor [a].sav", chip_of(moss, 2), 9);
  Session session = session_of();
  learn(session, "there", there);
  const auto note_of = [&](const Path& save) {
    CarryRequest request;
    request.saves = {save.string()};
    request.to = "there";
    request.plan = true;
    const auto report = carry(session, request);
    EXPECT_TRUE(report);
    for (const Finding& check : report->moves.front().checks)
      if (check.code == Code::rom_match) return check.text;
    return std::string();
  };
  EXPECT_NE(note_of(here / "Moss and so on.sav").find("surely"), std::string::npos);
  const TempFolder loose;
  loose.write("Moss & Motor (Europe) (En,Fr).sav", chip_of(moss, 3));
  EXPECT_NE(note_of(loose / "Moss & Motor (Europe) (En,Fr).sav").find("likely"), std::string::npos);
}

}  // namespace
}  // namespace bayswap
