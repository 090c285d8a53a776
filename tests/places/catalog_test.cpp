// The user's list of games, and the lists that others keep.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <map>

#include "bayswap/catalog_edit.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "places/game_list.h"
#include "places/rom_index.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/folder.h"

namespace bayswap {
namespace {

constexpr const char* kXml = R"xml(<?xml version="1.0"?>
<datafile>
  <header><name>made up</name></header>
  <game name="Copper Tide (America)">
    <description>Copper Tide (America)</description>
    <rom name="Copper Tide (America).z64" size="4096" crc="1A2B3C4D"
         sha1="AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA" serial="NCTE"/>
  </game>
  <game name="Copper Tide (Europe) (Rev 1)" cloneof="Copper Tide (America)">
    <release name="x" region="EUR"/>
    <rom name="Copper Tide (Europe).z64" size="8192" crc="0x00000001" serial="NCTP"/>
  </game>
  <game name="Dune &amp; Semaphore"><rom name="d.bin" size="12" crc="not a hash"/></game>
</datafile>
)xml";

Result<std::vector<ListedGame>> listed(const std::string& text) {
  auto list = read_game_list(as_bytes(text), "list");
  if (!list) return tl::unexpected(list.error());
  return std::move(list->games);
}

TEST(GameList, ASaveTypeColumnTellsTheChip) {
  const std::string text =
      "Name,Save Type,Players,System\nKite,EEPROM 4Kbit,2,n64\nMoss,16 Kbit EEPROM,1,n64\n"
      "Tin,Flash 1M,1,gba\nOrchard,SRAM,1,gba\nRelay,none,1,snes\nHalyard,Controller Pak,4,n64\n"
      "Drift,?,1,snes\n";
  const auto list = read_game_list(as_bytes(text), "list");
  ASSERT_TRUE(list);
  EXPECT_EQ(list->unused, std::vector<std::string>{"Players"});
  std::map<std::string, std::string> chips;
  for (const CatalogGame& game : grouped_games(list->games, std::nullopt))
    chips[game.title] = game.chip;
  EXPECT_EQ(chips, (std::map<std::string, std::string>{{"Kite", "eeprom4k"},
                                                       {"Moss", "eeprom16k"},
                                                       {"Tin", "flash128"},
                                                       {"Orchard", "sram"},
                                                       {"Relay", "none"},
                                                       {"Halyard", "pak"},
                                                       {"Drift", ""}}));
}

TEST(GameList, XmlVariantsBecomeOneGame) {
  const auto games = listed(kXml);
  ASSERT_TRUE(games) << games.error().text;
  ASSERT_EQ(games->size(), 3U);
  const auto grouped = grouped_games(*games, System::n64);
  ASSERT_EQ(grouped.size(), 2U);
  EXPECT_EQ(grouped[0].title, "Copper Tide");
  EXPECT_EQ(grouped[0].codes.at(Region::america), "NCTE");
  EXPECT_EQ(grouped[0].codes.at(Region::europe), "NCTP");
  ASSERT_EQ(grouped[0].dumps.size(), 2U);
  EXPECT_EQ(grouped[0].dumps[0].crc32, "1a2b3c4d");
  EXPECT_EQ(grouped[0].dumps[0].size, 4096U);
  EXPECT_EQ(grouped[0].dumps[1].crc32, "00000001");
  EXPECT_EQ(grouped[0].dumps[1].region, Region::europe);
  EXPECT_EQ(grouped[1].title, "Dune & Semaphore");
  EXPECT_TRUE(grouped[1].dumps.empty());
  EXPECT_TRUE(grouped_games(*games, std::nullopt).empty()) << "nobody says the system";
}

TEST(GameList, ShortNamesGiveWayToDescriptions) {
  const auto games = listed(R"xml(<list name="x">
    <software name="emberj"><description>Ember Atlas (Japan)</description>
      <info name="serial" value="EA-J"/>
      <part><dataarea><rom name="e" size="16" sha1="bbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbbb"/></dataarea></part>
    </software>
    <software name="ember" cloneof="emberj"><description>Ember Atlas (Europe)</description></software>
  </list>)xml");
  ASSERT_TRUE(games);
  const auto grouped = grouped_games(*games, System::nes);
  ASSERT_EQ(grouped.size(), 1U);
  EXPECT_EQ(grouped[0].title, "Ember Atlas");
  EXPECT_EQ(grouped[0].codes.at(Region::japan), "EA-J");
  EXPECT_EQ(grouped[0].dumps.size(), 1U);
}

TEST(GameList, CsvInAnyOrderOfColumns) {
  for (const std::string separator : {",", ";", "\t"}) {
    std::string text =
        "System,CRC32,Name,Serial,Size,cloneof\r\n"
        "snes,DEADBEEF,\"Lantern; Drift, \"\"the\tgame\"\" (Japan)\",LD-J,1024,\r\n"
        "snes,,Lantern Drift (Europe),LD-E,,\n"
        "gb,12345678,Tin Orchard,,32768,\n\n";
    if (separator != ",") {
      text = "System" + separator + "Name" + separator + "Serial\nsnes" + separator +
             "Lantern Drift (Europe)" + separator + "LD-E\n";
      const auto games = listed(text);
      ASSERT_TRUE(games) << games.error().text;
      EXPECT_EQ(games->at(0).serial, "LD-E");
      continue;
    }
    const auto games = listed("\xEF\xBB\xBF" + text);
    ASSERT_TRUE(games) << games.error().text;
    ASSERT_EQ(games->size(), 3U);
    EXPECT_EQ(games->at(0).name, "Lantern; Drift, \"the\tgame\" (Japan)");
    const auto grouped = grouped_games(*games, std::nullopt);
    ASSERT_EQ(grouped.size(), 3U);
    EXPECT_EQ(grouped[1].codes.at(Region::europe), "LD-E");
    EXPECT_EQ(grouped[2].system, System::gb);
    EXPECT_EQ(grouped[2].dumps[0].size, 32768U);
  }
}

TEST(GameList, BrokenOnesSayWhere) {
  const auto error = [](const std::string& text) { return listed(text).error(); };
  EXPECT_THAT(error("<a>\n<game name='x'>\n</a>").text, testing::HasSubstr("list:"));
  EXPECT_EQ(error("<a>\n<game name='x'>\n</a>").code, Code::bad_list);
  EXPECT_THAT(error("name,size\nA,1\n\"B,2\n").text, testing::HasSubstr("list:3"));
  EXPECT_EQ(error("colour,size\nred,1\n").code, Code::no_match);
  EXPECT_EQ(error("<html><body/></html>").code, Code::no_match);
  EXPECT_EQ(error("  \n").code, Code::bad_list);
}

TEST(GameList, MutatedListsNeverCrash) {
  const std::string csv = "name,serial,size,crc32\nA (Japan),X,1,00000000\n\"B, C\",Y,2,11111111\n";
  for (int round = 0; round < test::rounds(400); ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round));
    std::string text = round % 2 == 0 ? std::string(kXml) : csv;
    for (unsigned i = 1 + numbers() % 8; i > 0; --i) {
      const std::size_t at = numbers() % text.size();
      switch (numbers() % 4) {
        case 0: text[at] = static_cast<char>(numbers()); break;
        case 1: text.erase(at, 1 + numbers() % 20); break;
        case 2: text.insert(at, text.substr(numbers() % text.size(), numbers() % 40)); break;
        default: text.insert(at, "<game name=\""); break;
      }
      if (text.empty()) text = "x";
    }
    if (const auto games = listed(text)) (void)grouped_games(*games, System::gb);
  }
}

class CatalogFiles : public testing::Test {
 protected:
  Session open() {
    auto session = Session::open(disk(), {folder_ / "config", folder_ / "data"});
    EXPECT_TRUE(session) << session.error().text;
    return std::move(*session);
  }
  test::TempFolder folder_;
};

TEST_F(CatalogFiles, AddingKeepsWhatIsWritten) {
  const std::string written = "# mine\n[[game]]\ntitle = \"Copper Tide\"\nsystem = \"n64\"";
  folder_.write("config/catalog.toml", written);
  Session session = open();
  CatalogGame game;
  game.title = "Moss \"&\" Motor";
  game.system = System::gba;
  game.chip = "flash128";
  game.codes[Region::europe] = "BMMP";
  game.companions = {"shared/x"};
  ASSERT_TRUE(add_catalog_game(session, game)) << "a quote in a title is fine";
  const Bytes bytes = test::read(folder_ / "config/catalog.toml");
  EXPECT_TRUE(
      std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size()).starts_with(written));
  const Session again = open();
  ASSERT_EQ(again.catalog.games().size(), 2U);
  const CatalogGame* known = again.catalog.find_code(System::gba, "bmmp");
  ASSERT_NE(known, nullptr);
  EXPECT_EQ(known->title, game.title);
  EXPECT_EQ(known->chip, "flash128");
  EXPECT_EQ(known->companions, game.companions);
  EXPECT_EQ(add_catalog_game(session, game).error().code, Code::name_taken);
  game.title = "Other";
  game.chip = "nonsense";
  EXPECT_EQ(add_catalog_game(session, game).error().code, Code::usage);
  game.title = "()";
  EXPECT_EQ(add_catalog_game(session, game).error().code, Code::usage);
}

TEST_F(CatalogFiles, ImportingTwiceReplaces) {
  folder_.write("list.xml", std::string(kXml));
  Session session = open();
  ImportRequest request{folder_ / "list.xml", System::n64, ""};
  const auto first = import_catalog(session, request);
  ASSERT_TRUE(first) << first.error().text;
  EXPECT_EQ(first->games, 2U);
  EXPECT_EQ(first->dumps, 2U);
  EXPECT_FALSE(first->replaced);
  EXPECT_TRUE(import_catalog(session, request)->replaced);
  EXPECT_EQ(open().catalog.games().size(), 2U);
  // The user's own words come first.
  folder_.write("config/catalog.toml",
                std::string("[[game]]\ntitle = \"My Tide\"\nsystem = \"n64\"\n[game.codes]\n"
                            "europe = \"NCTP\"\n"));
  EXPECT_EQ(open().catalog.find_code(System::n64, "NCTP")->title, "My Tide");
  EXPECT_EQ(open().catalog.find_code(System::n64, "NCTE")->title, "Copper Tide");
  request.system.reset();
  EXPECT_EQ(import_catalog(session, request).error().code, Code::usage);
}

// A ROM without a header is known by its hashes alone.
TEST_F(CatalogFiles, HashesTellWhichRomItIs) {
  const Bytes rom = test::random_bytes(4096, 77);
  folder_.write("Some Name.bin", rom);
  folder_.write("list.csv", "name,system,size,sha1\nDune Semaphore (Europe),a2600,4096," +
                                hex_text(sha1(rom)) + "\n");
  Session session = open();
  EXPECT_FALSE(read_rom_file(disk(), folder_ / "Some Name.bin", session.catalog));
  ASSERT_TRUE(import_catalog(session, {folder_ / "list.csv", std::nullopt, "mine"}));
  session = open();
  const auto found = read_rom_file(disk(), folder_ / "Some Name.bin", session.catalog);
  ASSERT_TRUE(found);
  EXPECT_EQ(found->info.system, System::a2600);
  EXPECT_EQ(found->info.game.title, "Dune Semaphore");
  EXPECT_EQ(found->info.game.region, Region::europe);
  Bytes other = rom;
  other[0] ^= std::byte{1};
  folder_.write("Some Name.bin", other);
  EXPECT_FALSE(read_rom_file(disk(), folder_ / "Some Name.bin", session.catalog));
}

}  // namespace
}  // namespace bayswap
