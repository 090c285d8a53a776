// The tool as people and scripts run it: a process, its output, its exit status.
#include <nlohmann/json.hpp>

#include "demo/state_makers.h"
#include "support/program.h"
#include "support/tool.h"
#include "support/world.h"

namespace bayswap {
namespace {

using nlohmann::json;
using test::Outcome;
using test::snapshot;

using test::Tool;

TEST_F(Tool, LooksAtEveryDemoFile) {
  const std::vector<std::tuple<std::string, std::string, std::string>> known{
      {"reader/Copper Tide (America).sra", "n64-sram", "Copper Tide"},
      {"reader/Glacier Post (America).eep", "n64-eeprom4k", "Glacier Post"},
      {"reader/Glacier Post (America).mpk", "n64-pak", "Glacier Post"},
      {"reader/LANTERN DRIFT.srm", "snes-battery", "LANTERN DRIFT"},
      {"den/saves/Copper Tide (America).srm", "n64-combined-swap32", "Copper Tide"},
      {"den/saves/Tin Orchard (Europe).srm", "gb-battery-clock48", "Tin Orchard"},
      {"ferry/gb/Tin Orchard (Europe).sav", "gb-battery-clock44", "Tin Orchard"}};
  for (const auto& [path, layout, title] : known) {
    const json item = object({"look", path})["items"].at(0);
    EXPECT_EQ(item["layout"], layout) << path;
    EXPECT_EQ(item["game"]["title"], title) << path;
    EXPECT_EQ(item["kind"], layout == "n64-pak" ? "card-save" : "battery");
    EXPECT_EQ(item["confidence"] == "possible", false);
  }
  const json rom = object({"look", "ferry/gb/Tin Orchard (Europe).gb"})["items"].at(0);
  EXPECT_EQ(rom["kind"], "rom");
  EXPECT_EQ(rom["system"], "gb");
  EXPECT_EQ(object({"look", "downloads/Lantern Drift (Europe).srm"})["items"].at(0)["kind"],
            "state");
  const json blank = object({"look", "reader/dead battery/Lantern Drift.srm"})["items"].at(0);
  EXPECT_TRUE(blank["blank"]);
  EXPECT_EQ(blank["findings"].at(0)["code"], "blank-battery");
  EXPECT_GT(object({"look", "."}, 3)["items"].size(), 20U);
}

TEST_F(Tool, KnowsALooseFileByTheGamesOfTheBays) {
  folder_.write("loose/tin orchard.bin", test::random_bytes(0x2000, 1));
  const json item = object({"look", "loose/tin orchard.bin"})["items"].at(0);
  EXPECT_EQ(item["layout"], "gb-battery") << item;
  EXPECT_EQ(item["game"]["title"], "Tin Orchard");
  folder_.write("loose/lantern drift.bin", test::random_bytes(0x2000, 1));
  EXPECT_EQ(object({"look", "loose/lantern drift.bin"})["items"].at(0)["confidence"], "possible")
      << "two games have that name";
}

TEST_F(Tool, LooksThroughADrawerOfCartridges) {
  const std::vector<std::tuple<std::string, std::string, std::uint64_t>> known{
      {"Moss & Motor (Europe).sav", "gba-flash64", 0x10000},
      {"Ember Atlas.sav", "nes-battery", 0x2000},
      {"Quarry Choir.srm", "md-battery-odd", 0x2000},
      {"Lighthouse Ledger.sav", "nds-battery", 0x80000}};
  for (const auto& [name, layout, size] : known) {
    const json item = object({"look", "drawer/" + name})["items"].at(0);
    EXPECT_EQ(item["layout"], layout) << item;
    EXPECT_EQ(item["parts"].at(0)["size"], size);
  }
  const json rom = object({"look", "drawer/Moss & Motor (Europe).gba"})["items"].at(0);
  EXPECT_EQ(rom["game"]["code"], "BMMP");
  EXPECT_EQ(rom["game"]["region"], "europe");
  EXPECT_EQ(rom["chips"].at(0)["part"], "flash");
  EXPECT_EQ(rom["header_ok"], true);
  const json cut = object({"look", "drawer/Ember Atlas (third dump).sav"})["items"].at(0);
  EXPECT_EQ(cut["findings"].at(0)["code"], "half-written");
}

TEST_F(Tool, ComparesTwoDumps) {
  const json two =
      object({"look", "drawer/Ember Atlas.sav", "drawer/Ember Atlas (second dump).sav"});
  EXPECT_EQ(two["items"].size(), 2U);
  EXPECT_EQ(two["compare"].at(0)["part"], "sram");
  EXPECT_EQ(two["compare"].at(0)["differing"], 33);
  EXPECT_EQ(two["compare"].at(0)["ranges"].at(0), json::array({0x640, 0x65F}));
  const json strangers =
      object({"look", "reader/Copper Tide (America).sra", "reader/Glacier Post (America).mpk"});
  EXPECT_FALSE(strangers.contains("compare")) << "different things are not two dumps of one";
  const json same = object({"look", "drawer/Ember Atlas.sav", "drawer/Ember Atlas.sav"});
  EXPECT_EQ(same["compare"].at(0)["differing"], 0);
}

// What is printed can be typed as it is, but for the words in capitals.
TEST_F(Tool, LookSaysWhatToTypeNext) {
  const std::string save = "reader/LANTERN DRIFT.srm";
  const auto last_line = [this](std::vector<std::string> words) {
    words.insert(words.begin(), "look");
    const std::string text = run(words).out;
    return text.substr(text.rfind('\n', text.size() - 2) + 1);
  };
  EXPECT_EQ(last_line({save}),
            "bring it elsewhere with: bayswap carry \"" + save + "\" --to FOLDER\n");
  EXPECT_EQ(run({"carry", save, "--to", "den", "--plan"}).status, 0);
  const std::string card = "den/cards/velvet.card";
  EXPECT_EQ(last_line({card}), "see its saves with: bayswap card show " + card + "\n");
  EXPECT_EQ(run({"card", "show", card}).status, 0);
  // A finding says something better; a ROM goes nowhere; of two files neither is meant.
  const std::string rom = "reader/LANTERN DRIFT.sfc";
  for (const std::vector<std::string>& words :
       std::vector<std::vector<std::string>>{{"reader/dead battery/Lantern Drift.srm"},
                                             {"downloads/failed.card"},
                                             {rom},
                                             {save, rom}})
    EXPECT_EQ(last_line(words).find("with: bayswap"), std::string::npos) << words[0];
}

// A program's hidden folder, and games on another shelf.
TEST_F(Tool, CarriesToSavesWhoseRomsLieElsewhere) {
  const std::string rom = "games/Lantern Drift (Europe) [!].sfc";
  folder_.write(rom, test::read(folder_ / "den/roms/snes/Lantern Drift (Europe).sfc"));
  folder_.write(".program/saves/Other Game.srm", Bytes(0x2000));
  folder_.write(".program/saves/Lantern Drift (Europe) [!].srm", Bytes(0x2000));
  const std::string save = "reader/LANTERN DRIFT.srm";
  const std::string hint = object({"carry", save, "--to", ".program"}, 1)["error"]["hint"];
  EXPECT_NE(hint.find("bayswap bay learn NAME FOLDER --roms"), std::string::npos) << hint;
  const std::string there = ".program/saves/Lantern Drift (Europe) [!].srm";
  const json plan = object({"carry", save, "--to", ".program", "--rom", rom, "--plan"});
  EXPECT_EQ(plan["moves"].at(0)["to"], at(there));
  const Outcome words = run({"carry", save, "--to", ".program", "--rom", rom, "--plan"});
  EXPECT_NE(words.out.find(" --roms games\n"), std::string::npos) << words.out;
  ASSERT_EQ(run({"bay", "learn", "hidden", ".program", "--roms", "games"}).status, 0);
  ASSERT_EQ(run({"carry", save, "--to", "hidden"}).status, 0);
  EXPECT_EQ(test::read(folder_ / there), test::read(folder_ / save));
  EXPECT_EQ(object({"look", there})["items"].at(0)["game"]["title"], "Lantern Drift");
  EXPECT_EQ(run({"bay", "learn", "other", ".program", "--roms", "nowhere"}).status, 3);
}

TEST_F(Tool, APictureWithAGamesNameIsNotASave) {
  folder_.write("plain/Drift.sfc", test::read(folder_ / "reader/LANTERN DRIFT.sfc"));
  folder_.write("plain/Drift", test::read(folder_ / "reader/LANTERN DRIFT.srm"));
  folder_.write("plain/Drift.png", demo::screen_png(demo::Art::kite));
  ASSERT_EQ(run({"bay", "learn", "plain", "plain"}).status, 0);
  const json moves =
      object({"carry", "--all", "--from", "plain", "--to", "den", "--plan"})["moves"];
  ASSERT_EQ(moves.size(), 1U) << moves;
  EXPECT_EQ(moves.at(0)["status"], "planned");
}

TEST_F(Tool, ReadsRomsInsideZip) {
  const Outcome zipped =
      test::run_program({"bsdtar", "--format=zip", "-cf", at("drawer/zipped.zip"), "-C",
                         at("drawer"), "Moss & Motor (Europe).gba"},
                        folder_.path(), {});
  if (zipped.status == 127) GTEST_SKIP() << "no bsdtar here";
  const json item = object({"look", "drawer/zipped.zip"})["items"].at(0);
  EXPECT_EQ(item["kind"], "rom");
  EXPECT_EQ(item["game"]["code"], "BMMP");
  EXPECT_EQ(item["chips"].at(0)["part"], "flash");
}

TEST_F(Tool, PlanCarryAndUndo) {
  const auto before = snapshot(folder_ / "den");
  json moves = object({"carry", "reader:Copper Tide", "--to", "den", "--plan"})["moves"];
  EXPECT_EQ(moves.at(0)["status"], "planned");
  EXPECT_EQ(snapshot(folder_ / "den"), before);
  moves = object({"carry", "reader:Copper Tide", "--to", "den"})["moves"];
  EXPECT_EQ(moves.at(0)["status"], "done");
  EXPECT_NE(moves.at(0)["chip"].get<std::string>().find("catalog"), std::string::npos);
  EXPECT_NE(snapshot(folder_ / "den"), before);
  moves = object({"undo", moves.at(0)["move"]})["moves"];
  EXPECT_EQ(moves.at(0)["status"], "done");
  EXPECT_EQ(snapshot(folder_ / "den"), before);
}

TEST_F(Tool, GivesTheStatusOfTheContract) {
  folder_.write("short.sra", test::random_bytes(100, 1));
  folder_.write("empty.srm", Bytes{});
  const std::vector<std::pair<std::vector<std::string>, int>> calls{
      {{"carry", "reader/dead battery/Lantern Drift.srm", "--to", "den"}, 1},
      {{"carry", "reader:Nothing", "--to", "den"}, 1},
      {{"undo"}, 1},
      {{"carry", "reader:Copper Tide", "--to", "moon"}, 2},
      {{"carry", "reader:Copper Tide"}, 2},
      {{"carry", "x", "--to", "den", "--accept", "anything"}, 2},
      {{"look"}, 2},
      {{"fly"}, 2},
      {{"look", "short.sra", "--is", "n64-wram"}, 2},
      {{"reshape", "short.sra", "-o", "x"}, 2},
      {{"look", "nowhere"}, 3},
      {{"carry", "nowhere", "--to", "den"}, 3},
      {{"reshape", "short.sra", "--as", "n64-sram", "--is", "n64-sram", "-o", "x"}, 3},
      {{"bay", "learn", "attic", "nowhere"}, 3},
      {{"layouts"}, 0},
      {{"bay", "list"}, 0},
      {{"bay", "show", "den"}, 0},
      {{"--version"}, 0}};
  for (const auto& [words, status] : calls) {
    const Outcome outcome = run(words);
    EXPECT_EQ(outcome.status, status) << words[0] << ": " << outcome.out << outcome.err;
    if (status >= 2) {
      EXPECT_NE(outcome.err.find("→"), std::string::npos) << outcome.err;
      const json error = object(words, status)["error"];
      EXPECT_FALSE(error["text"].get<std::string>().empty());
    }
  }
}

TEST_F(Tool, ReshapesBesideWhereItStands) {
  const json done = object({"reshape", "ferry/gb/Tin Orchard (Europe).sav", "--as",
                            "gb-battery-clock48", "-o", "orchard.sav"});
  EXPECT_EQ(done["outputs"].at(0)["size"], 0x2000 + 48);
  EXPECT_EQ(done["outputs"].at(0)["layout"], "gb-battery-clock48");
  EXPECT_TRUE(std::filesystem::exists(folder_ / "orchard.sav"));
  const json lost = object({"reshape", "orchard.sav", "--as", "gb-battery", "-o", "plain.sav"}, 1);
  EXPECT_EQ(lost["losses"].at(0)["code"], "loses-parts");
  EXPECT_FALSE(std::filesystem::exists(folder_ / "plain.sav"));
}

TEST_F(Tool, DamageIsAFindingAndAStatus) {
  folder_.write("empty.srm", Bytes{});
  folder_.write("reader/Copper Tide (America).sra", test::random_bytes(20'000, 1));
  EXPECT_EQ(object({"look", "empty.srm"}, 3)["items"].at(0)["findings"].at(0)["code"],
            "empty-file");
  EXPECT_EQ(object({"look", "reader"}, 3)["items"].size(), 8U);
  EXPECT_EQ(object({"carry", "reader:Copper Tide", "--to", "den"}, 1)["moves"].at(0)["checks"].at(
                0)["code"],
            "damaged");
}

TEST_F(Tool, FailsCleanlyWhereThePlaceFails) {
  // A file stands where the folder of the saves should be.
  std::filesystem::remove_all(folder_ / "den/saves");
  folder_.write("den/saves", std::string("in the way"));
  const auto before = snapshot(folder_ / "den");
  const Outcome outcome = run({"carry", "reader:Copper Tide", "--to", "den"});
  EXPECT_EQ(outcome.status, 4) << outcome.out << outcome.err;
  EXPECT_EQ(snapshot(folder_ / "den"), before);
}

TEST_F(Tool, AMissingPlaceIsAPlaceThatFails) {
  std::filesystem::rename(folder_ / "den", folder_ / "gone");
  EXPECT_EQ(run({"carry", "reader:Copper Tide", "--to", "den"}).status, 4);
}

TEST_F(Tool, ShowsNoControlCharacters) {
  folder_.write("evil\x1b[31m\n.srm", test::random_bytes(0x2000, 1));
  const Outcome outcome = run({"look", "."});
  EXPECT_EQ(outcome.out.find('\x1b'), std::string::npos);
  EXPECT_EQ(outcome.status, 3) << "one of the cards is damaged";
}

TEST_F(Tool, EveryCommandHasAnExample) {
  for (const std::vector<std::string>& words :
       std::vector<std::vector<std::string>>{{"look"},
                                             {"reshape"},
                                             {"carry"},
                                             {"undo"},
                                             {"layouts"},
                                             {"demo"},
                                             {"bay"},
                                             {"bay", "learn"},
                                             {"bay", "show"},
                                             {"bay", "forget"}}) {
    std::vector<std::string> help = words;
    help.emplace_back("--help");
    const Outcome outcome = run(help);
    EXPECT_EQ(outcome.status, 0);
    EXPECT_NE(outcome.out.find("Example"), std::string::npos) << words.back();
  }
}

TEST_F(Tool, TellsItsStoryTheSameWayTwice) {
  const Outcome first = run({"demo", "one"});
  EXPECT_EQ(first.status, 0) << first.out;
  EXPECT_EQ(first.out.find("the story expected"), std::string::npos);
  EXPECT_EQ(run({"demo", "one"}).status, 1);
  EXPECT_EQ(run({"demo", "--build-only", "a"}).status, 0);
  EXPECT_EQ(run({"demo", "--build-only", "b"}).status, 0);
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / "a"))
    if (entry.is_regular_file()) {
      EXPECT_EQ(test::read(entry.path()),
                test::read(folder_ / "b" / entry.path().lexically_relative(folder_ / "a")));
    }
}

TEST_F(Tool, ForgetsABayAndKeepsItsFiles) {
  const auto before = snapshot(folder_ / "ferry");
  EXPECT_EQ(run({"bay", "forget", "ferry"}).status, 0);
  EXPECT_EQ(run({"bay", "show", "ferry"}).status, 2);
  EXPECT_EQ(snapshot(folder_ / "ferry"), before);
}

}  // namespace
}  // namespace bayswap
