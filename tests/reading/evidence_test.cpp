// Nothing is called a save without evidence, and nothing real is lost.
#include <gtest/gtest.h>

#include <array>
#include <map>
#include <random>
#include <set>

#include "bayswap/card.h"
#include "bayswap/look.h"
#include "demo/makers.h"
#include "support/golden_cards.h"
#include "support/look_items.h"
#include "support/ordinary_files.h"
#include "support/rounds.h"
#include "support/tar.h"

namespace bayswap {
namespace {

using test::operator+;

class Evidences : public test::LookTest {
 protected:
  static std::string words(const Item& item) {
    std::string text;
    for (const Finding& finding : item.findings) text += finding.text + "\n";
    return text;
  }
};

Bytes ps1_card_with_a_save() {
  Bytes card = test::blank_ps1_card();
  test::add_ps1_save(card, "BESLES-04512PAPER", test::ps1_data(1, "PAPER OBSERVATORY", 4), {0});
  return card;
}

bool is_called_something(const Item& item) {
  return item.kind || !item.layout.empty() || item.archive;
}

TEST_F(Evidences, OrdinaryFilesAreNoSaves) {
  constexpr int kInAFolder = 1000;
  const int folders = test::rounds(100, 16);
  std::size_t called = 0;
  std::size_t alone = 0;
  for (int round = 0; round < folders; ++round) {
    test::OrdinaryFiles files(static_cast<std::uint32_t>(round));
    std::vector<std::string> names;
    const std::string folder = "junk" + std::to_string(round);
    for (int i = 0; i < kInAFolder; ++i) {
      const auto file = files.next();
      names.push_back(folder + "/" + file.name);
      folder_.write(names.back(), file.bytes);
    }
    for (const Item& found : items(folder)) {
      if (!is_called_something(found)) continue;
      ++called;
      EXPECT_TRUE(!found.confidence || found.confidence == Confidence::possible)
          << found.path << " " << found.layout << " " << found.reason;
      EXPECT_NE(found.kind, Kind::rom) << found.path;
    }
    // Named alone, most say what they are.
    for (int i = 0; i < kInAFolder; i += 50) {
      const Item found = item(names[static_cast<std::size_t>(i)]);
      alone += is_called_something(found) && !found.archive ? 1 : 0;
    }
    std::filesystem::remove_all(folder_ / folder);
  }
  EXPECT_LE(called, 5U * static_cast<std::size_t>(folders) / 100U);
  EXPECT_LE(alone, static_cast<std::size_t>(folders) / 10 + 2) << "sizes that only one chip has";
}

// Every system whose ROMs name the chip, with a save of that size.
TEST_F(Evidences, SavesBesideTheirRomsAreAllFound) {
  const int games = test::rounds(2000, 8);
  std::mt19937 numbers(23);
  std::map<std::string, std::string> expected;  // names, layouts
  for (int i = 0; i < games; ++i) {
    const std::string stem = "Game " + std::to_string(i);
    const auto seed = static_cast<std::uint32_t>(numbers());
    switch (numbers() % 4) {
      case 0: {
        constexpr std::array<std::pair<unsigned, std::size_t>, 3> kRam{
            {{1, 0x800}, {2, 0x2000}, {3, 0x8000}}};
        const auto [code, size] = kRam[numbers() % kRam.size()];
        folder_.write("with/" + stem + ".gb",
                      demo::gb_rom("GAME", 0x03, static_cast<std::uint8_t>(code)));
        folder_.write("with/" + stem + ".sav", test::random_bytes(size, seed));
        expected[stem] = "gb-battery";
        break;
      }
      case 1: {
        const auto code = static_cast<std::uint8_t>(1 + numbers() % 5);
        folder_.write("with/" + stem + ".sfc", demo::snes_rom("GAME", 1, code));
        folder_.write("with/" + stem + ".srm", test::random_bytes(std::size_t{1024} << code, seed));
        expected[stem] = "snes-battery";
        break;
      }
      case 2: {
        folder_.write("with/" + stem + ".gba", demo::gba_rom("GAME", "BGME", "FLASH1M_V103"));
        folder_.write("with/" + stem + ".sav", test::random_bytes(0x20000, seed));
        expected[stem] = "gba-flash128";
        break;
      }
      default: {
        folder_.write("with/" + stem + ".nds", demo::nds_rom("GAME", "AGME"));
        folder_.write("with/" + stem + ".sav", test::random_bytes(0x80000, seed));
        expected[stem] = "nds-battery";
        break;
      }
    }
    // The same without a ROM.
    const Path save =
        folder_ / ("with/" + stem + (expected[stem] == "snes-battery" ? ".srm" : ".sav"));
    std::filesystem::create_directories(folder_ / "without");
    std::filesystem::copy_file(save, folder_ / "without" / save.filename());
  }
  std::size_t found = 0;
  for (const Item& item : items("with")) {
    if (item.kind == Kind::rom) continue;
    EXPECT_EQ(item.layout, expected.at(Path(item.path).stem().string())) << item.path;
    EXPECT_NE(item.confidence, Confidence::possible) << item.path;
    ++found;
  }
  EXPECT_EQ(found, static_cast<std::size_t>(games));
  for (const Item& item : items("without")) {
    EXPECT_TRUE(item.layout.empty() && !item.kind) << item.path << " " << item.layout;
    EXPECT_NE(words(item).find("unknown, of the size of"), std::string::npos) << item.path;
    EXPECT_FALSE(item.candidates.empty());
  }
}

TEST_F(Evidences, AFileThatOnlyItsSizeSpeaksFor) {
  folder_.write("a/Loose.dat", test::random_bytes(0x8000, 1));
  folder_.write("a/Loose.sav", test::random_bytes(0x8000, 2));
  const Item named = item("a/Loose.dat");
  EXPECT_TRUE(named.layout.empty());
  EXPECT_GT(named.candidates.size(), 3U);
  EXPECT_EQ(named.confidence, Confidence::possible);
  const auto in_folder = items("a");
  EXPECT_TRUE(in_folder.at(0).candidates.empty()) << "in a folder it counts as other";
  EXPECT_FALSE(in_folder.at(1).candidates.empty()) << "it is named like a save";
  folder_.write("a/Blank.sav", test::filled(0x2000, 0xFF));
  EXPECT_TRUE(has_code(item("a/Blank.sav").findings, Code::blank_battery));
}

TEST_F(Evidences, NeighboursSpeak) {
  folder_.write("s/Kite.sfc", demo::snes_rom("KITE", 1, 3));
  folder_.write("s/Kite.srm", test::random_bytes(0x2000, 3));
  folder_.write("s/Gone.srm", test::random_bytes(0x2000, 4));
  folder_.write("s/Gone.bin", test::random_bytes(0x2000, 5));
  for (const Item& found : items("s")) {
    const std::string name = Path(found.path).filename().string();
    if (name == "Gone.srm") {
      EXPECT_EQ(found.layout, "snes-battery");
    }
    if (name == "Gone.bin") {
      EXPECT_FALSE(is_called_something(found));
    }
  }
}

TEST_F(Evidences, StatesAreNotBelievedForBeingPacked) {
  Bytes packed = test::bytes({0x1F, 0x8B, 8, 0, 0, 0, 0, 0, 0, 3}) + test::random_bytes(9000, 6);
  folder_.write("p/notes.txt.gz", packed);
  folder_.write("p/thing", packed);
  folder_.write("p/Alone.ss1", test::random_bytes(20'000, 7));
  folder_.write("p/Twice.ss1", test::random_bytes(20'000, 8));
  folder_.write("p/Twice.ss2", test::random_bytes(20'100, 9));
  folder_.write("p/song.mp3", test::random_bytes(50'000, 10));
  std::set<std::string> states;
  for (const Item& found : items("p"))
    if (found.kind == Kind::state) states.insert(Path(found.path).filename().string());
  EXPECT_EQ(states, (std::set<std::string>{"Twice.ss1", "Twice.ss2"}));
}

TEST_F(Evidences, ACardBehindAnyHeader) {
  const auto card = find_layout("ps1-card");
  const Bytes golden = ps1_card_with_a_save();
  for (const std::size_t length : {std::size_t{64}, std::size_t{3904}, std::size_t{65536}}) {
    const std::string name = "h/card" + std::to_string(length) + ".bin";
    folder_.write(name, test::random_bytes(length, 11) + golden);
    const Item found = item(name);
    EXPECT_EQ(found.layout, "ps1-card") << length;
    EXPECT_EQ(found.header, length);
    EXPECT_FALSE(found.saves.empty());
  }
  // Its mark tells a header of any length.
  folder_.write("h/odd.bin", test::random_bytes(77, 12) + golden);
  EXPECT_EQ(item("h/odd.bin").header, 77U);
  // A change keeps what stands in front.
  const Bytes whole = test::random_bytes(128, 13) + golden;
  const auto guesses = identify(whole, {});
  ASSERT_FALSE(guesses.empty());
  const CardLayout* behind = as_card(guesses.front().layout);
  ASSERT_NE(behind, nullptr);
  const auto changed = behind->change(whole, {{0}, {}});
  ASSERT_TRUE(changed);
  ASSERT_EQ(changed->bytes.size(), whole.size());
  EXPECT_TRUE(std::equal(whole.begin(), whole.begin() + 128, changed->bytes.begin()));
  const auto expected = as_card(*card)->change(golden, {{0}, {}});
  EXPECT_TRUE(
      std::equal(expected->bytes.begin(), expected->bytes.end(), changed->bytes.begin() + 128));
}

TEST_F(Evidences, AFileBehindAHeaderOrBeforeATextIsImitated) {
  const Bytes header = test::random_bytes(3904, 30);
  const Bytes mould = header + test::blank_ps1_card();
  const Bytes card = ps1_card_with_a_save();
  const auto layout = find_layout("ps1-card");
  const auto content = (*layout)->read(card, {});
  ASSERT_TRUE(content);
  const auto written = imitate(**layout, {content->saves, mould, {}});
  ASSERT_TRUE(written) << written.error().text;
  ASSERT_EQ(written->bytes.size(), mould.size());
  EXPECT_TRUE(std::equal(header.begin(), header.end(), written->bytes.begin()));
  const auto again = (*layout)->read(ByteView(written->bytes).subspan(3904), {});
  ASSERT_TRUE(again);
  EXPECT_EQ(again->saves.size(), 1U);
  // A text behind a chip's full size, even one that repeats what is in the save.
  const auto chip = find_layout("snes-battery");
  Bytes old(0x2000, std::byte{0});
  const std::string words = "MARK 1.0 of the program, and its settings\n";
  for (std::size_t at = 0; at + words.size() <= old.size(); at += 64) test::put(old, at, words);
  for (const std::size_t length : {std::size_t{16}, std::size_t{300}, std::size_t{4096}}) {
    Bytes trailer(length);
    for (std::size_t i = 0; i < length; ++i)
      trailer[i] = static_cast<std::byte>(words[i % words.size()]);
    Save save;
    save.system = System::snes;
    save.parts = {{"sram", old, false, {}}};
    const Bytes fresh = test::random_bytes(0x2000, 31);
    const auto out = imitate(**chip, {std::span(&save, 1), fresh + trailer, {}});
    ASSERT_TRUE(out) << length << ": " << out.error().text;
    EXPECT_TRUE(out->bytes == old + trailer) << length;
  }
}

TEST_F(Evidences, ALayoutTakesOnlyItsOwnChip) {
  Hints hints;
  hints.system = System::gba;
  hints.chips = std::vector<Chip>{{"flash", 0x20000}};
  hints.chips_from_header = true;
  const auto guesses = identify(test::random_bytes(0x20000, 32), hints);
  ASSERT_EQ(guesses.size(), 1U);
  EXPECT_EQ(guesses[0].layout->info().id, "gba-flash128");
  hints.system = System::n64;
  hints.chips = std::vector<Chip>{{"eeprom", 0x800}};
  EXPECT_EQ(identify(test::random_bytes(0x800, 33), hints).front().layout->info().id,
            "n64-eeprom16k");
}

TEST_F(Evidences, ArchivesInFoldersAreOpened) {
  std::filesystem::create_directories(folder_ / "Downloads");
  Bytes tar;
  test::add_to_tar(tar, "card.mcr", ps1_card_with_a_save());
  test::add_to_tar(tar, "readme.txt", Bytes(20, std::byte{'a'}));
  tar.resize(tar.size() + 1024);
  folder_.write("Downloads/pack.tar", tar);
  Bytes plain;
  test::add_to_tar(plain, "readme.txt", Bytes(20, std::byte{'a'}));
  plain.resize(plain.size() + 1024);
  folder_.write("Downloads/papers.tar", plain);
  const auto found = items("Downloads");
  ASSERT_EQ(found.size(), 2U);
  EXPECT_TRUE(found[0].archive);
  EXPECT_EQ(found[0].saves.at(0).layout, "ps1-card");
  EXPECT_FALSE(is_called_something(found[1]));
}

TEST_F(Evidences, RomsWithoutAHeader) {
  folder_.write("c/roms/a2600/Dune Semaphore.bin", test::random_bytes(4096, 14));
  folder_.write("c/roms/a2600/Dune Two.bin", test::random_bytes(2048, 15));
  folder_.write("c/other/Dune Three.bin", test::random_bytes(2048, 16));
  folder_.write("c/other/Dune Four.bin", test::random_bytes(4096, 17));
  std::map<std::string, std::optional<Kind>> kinds;
  for (const Item& found : items("c")) kinds[Path(found.path).stem().string()] = found.kind;
  EXPECT_EQ(kinds["Dune Semaphore"], Kind::rom);
  EXPECT_EQ(kinds["Dune Two"], Kind::rom);
  EXPECT_EQ(kinds["Dune Three"], std::nullopt) << "nothing there says so";
  // Elsewhere, states under their names do.
  folder_.write("c/states/Dune Four.st0", test::random_bytes(700, 18));
  kinds.clear();
  for (const Item& found : items("c"))
    if (Path(found.path).extension() == ".bin")
      kinds[Path(found.path).stem().string()] = found.kind;
  EXPECT_EQ(kinds["Dune Four"], Kind::rom);
}

TEST_F(Evidences, ABayTellsOfAnAccountThatHardlyPlays) {
  for (const std::string title : {"10100a00", "10100b00", "10100c00"})
    folder_.write("u/save/00050000/" + title + "/user/80000001/slot.dat",
                  test::random_bytes(100, 40));
  folder_.write("u/save/00050000/10100d00/user/80000002/slot.dat", test::random_bytes(100, 41));
  folder_.write("u/save/00050000/10100a00/user/80000002/slot.dat", test::random_bytes(100, 42));
  folder_.write("u/save/00050000/10100e00/user/80000003/slot.dat", test::random_bytes(100, 43));
  learn("u");
  std::set<std::string> warned;
  for (const Item& found : items("u"))
    for (const Finding& finding : found.findings)
      if (finding.code == Code::not_seen) {
        EXPECT_NE(finding.text.find("account 80000001 plays"), std::string::npos) << finding.text;
        warned.insert(found.game.title_id + " " + found.game.account);
      }
  // 80000002 has two of the three that 80000001 has: both play.
  EXPECT_EQ(warned, std::set<std::string>{"0005000010100e00 80000003"});
}

TEST_F(Evidences, NamesBeyondAsciiInArchives) {
  Bytes tar;
  test::add_to_tar(tar, "Caf\xC3\xA9/Kite.srm", test::random_bytes(0x2000, 44));
  test::add_to_tar(tar, "Caf\x82.srm", test::random_bytes(0x2000, 45));
  tar.resize(tar.size() + 1024);
  folder_.write("pack.tar", tar);
  std::set<std::string> names;
  for (const SaveInfo& save : item("pack.tar").saves) names.insert(save.name);
  EXPECT_TRUE(names.contains("Caf\xC3\xA9/Kite.srm"));
  EXPECT_TRUE(names.contains("Caf\xC3\xA9.srm")) << "in the old code page";
}

TEST_F(Evidences, ABayTellsWhatItsProgramWillNotSee) {
  folder_.write("b/roms/Kite (Europe).sfc", demo::snes_rom("KITE", 2, 3));
  folder_.write("b/roms/Moss (America).sfc", demo::snes_rom("MOSS", 1, 3));
  folder_.write("b/saves/Kite (Europe).srm", test::random_bytes(0x2000, 19));
  folder_.write("b/saves/Moss (America).srm", test::random_bytes(0x2000, 20));
  learn("b");
  folder_.write("b/saves/Kite.srm", test::random_bytes(0x2000, 21));
  folder_.write("b/saves/Moss (Europe).srm", test::random_bytes(0x2000, 22));
  std::map<std::string, std::string> said;
  for (const Item& found : items("b"))
    for (const Finding& finding : found.findings)
      if (finding.code == Code::not_seen) said[Path(found.path).stem().string()] = finding.text;
  EXPECT_EQ(said.size(), 2U);
  EXPECT_NE(said["Kite"].find("'Kite (Europe)'"), std::string::npos) << said["Kite"];
  EXPECT_NE(said["Moss (Europe)"].find("for europe"), std::string::npos) << said["Moss (Europe)"];
}

}  // namespace
}  // namespace bayswap
