// Trees as people have them at home, each with its own habits: what is carried lands where the
// program there looks, under the name that it wants, and nothing else changes.
#include <fmt/core.h>
#include <gtest/gtest.h>

#include <functional>

#include "bayswap/card.h"
#include "demo/card_makers.h"
#include "demo/makers.h"
#include "support/golden_cards.h"
#include "support/program.h"
#include "support/real_place.h"
#include "support/tar.h"

namespace bayswap {
namespace {

using test::random_bytes;
using test::operator+;

class HomeTrees : public test::RealPlaceTest {
 protected:
  void put(const std::string& path, const Bytes& bytes, int age_days = 30) {
    folder_.write(path, bytes, age_days);
  }

  static Bytes gb(const std::string& title) { return demo::gb_rom(title, 0x03, 2); }

  static std::string told(const MoveReport& move) {
    std::string text;
    for (const Finding& check : move.checks) text += check.text + "; ";
    return text;
  }

  struct Job {
    std::string source;    ///< of the carry, below the test's folder
    std::string expected;  ///< below the place
    Bytes content;         ///< what is to lie there
    std::string game = {};
    std::string system = {};
  };

  // The place as it is, and learned: the same job lands the same, and is taken back exactly.
  void expect_carried(const std::string& place, const std::vector<Job>& jobs) {
    junk(place);
    const auto before = test::snapshot(folder_ / place);
    const auto contents = test::contents(folder_ / place);
    for (const bool learned : {false, true}) {
      if (learned) learn(place);
      for (const Job& job : jobs) {
        SCOPED_TRACE(job.source + (learned ? " learned" : ""));
        CarryRequest request;
        request.saves = {at(job.source)};
        request.to = learned ? place : at(place);
        if (!job.game.empty()) request.game = job.game;
        request.accept = {Code::newer_there};
        const CarryReport report = carry_it(request);
        ASSERT_EQ(report.moves.size(), 1U);
        const MoveReport& move = report.moves.front();
        ASSERT_EQ(stop_code(report), "") << move.checks.back().text;
        ASSERT_EQ(move.to, at(place + "/" + job.expected)) << told(move);
        EXPECT_TRUE(test::read(folder_ / (place + "/" + job.expected)) == job.content);
        auto now = test::contents(folder_ / place);
        for (const auto& [path, bytes] : contents) {
          if (path == job.expected) continue;
          EXPECT_TRUE(now[path] == bytes) << path;
          now.erase(path);
        }
        now.erase(job.expected);
        EXPECT_TRUE(now.empty()) << now.begin()->first;
        expect_undo_restores(place, before);
      }
    }
  }
};

TEST_F(HomeTrees, OneFolderForEverything) {
  for (const std::string game : {"Kite (Europe)", "Moss (USA)", "Tin (Japan)"}) {
    put("sd/" + game + ".gb", gb(test::upper(game.substr(0, game.find(' ')))));
    put("sd/" + game + ".sav", random_bytes(0x2000, 1));
  }
  const Bytes save = random_bytes(0x2000, 2);
  put("dl/moss.srm", save, 1);
  expect_carried("sd", {{"dl/moss.srm", "Moss (USA).sav", save}});
}

TEST_F(HomeTrees, LettersBelowSystemsAndSavesInATreeLikeIt) {
  for (const std::string game : {"Kite (Europe)", "Kettle (Europe)", "Moss (USA)"}) {
    const std::string letter = game.substr(0, 1);
    put(fmt::format("pc/Games/Handheld/{}/{}.gb", letter, game),
        gb(test::upper(game.substr(0, game.find(' ')))));
    if (game != "Kettle (Europe)")
      put(fmt::format("pc/AppData/Saves/Handheld/{}/{}.srm", letter, game),
          random_bytes(0x2000, 3));
  }
  const Bytes save = random_bytes(0x2000, 4);
  put("dl/Kettle.sav", save, 1);
  put("dl/Moss (USA).sav", save, 1);
  expect_carried("pc", {{"dl/Moss (USA).sav", "AppData/Saves/Handheld/M/Moss (USA).srm", save},
                        {"dl/Kettle.sav", "AppData/Saves/Handheld/K/Kettle (Europe).srm", save}});
}

TEST_F(HomeTrees, DeepInHiddenFolders) {
  const std::string data = ".var/app/station/.local/share/station";
  for (const std::string game : {"Kite (Europe)", "Moss (Europe)"}) {
    put("home/ROMs/gb/" + game + ".gb", gb(test::upper(game.substr(0, game.find(' ')))));
    put(fmt::format("home/{}/saves/gb/{}.srm", data, game), random_bytes(0x2000, 5));
    put(fmt::format("home/{}/states/gb/{}.state1", data, game), random_bytes(41'000, 6));
  }
  const Bytes save = random_bytes(0x2000, 7);
  put("dl/Kite.sav", save, 1);
  expect_carried("home", {{"dl/Kite.sav", data + "/saves/gb/Kite (Europe).srm", save}});
}

TEST_F(HomeTrees, TwoSystemsShareAFolderOfSaves) {
  put("box/roms/Kite (Europe).gb", gb("KITE"));
  put("box/roms/Copper Tide (USA).z64", demo::n64_rom("COPPER TIDE", "NCTE"));
  put("box/saves/Kite (Europe).srm", random_bytes(0x2000, 8));
  put("box/saves/Copper Tide (USA).srm", random_bytes(0x8000, 9));
  const Bytes save = random_bytes(0x2000, 10);
  put("dl/Kite (E) [!].sav", save, 1);
  expect_carried("box", {{"dl/Kite (E) [!].sav", "saves/Kite (Europe).srm", save}});
}

TEST_F(HomeTrees, AFolderForEachGame) {
  for (const std::string game : {"Kite (Europe)", "Moss (Europe)", "Tin (Europe)"}) {
    put(fmt::format("shelf/{}/{}.gb", game, game), gb(test::upper(game.substr(0, game.find(' ')))));
    if (game != "Tin (Europe)")
      put(fmt::format("shelf/{}/save/{}.sav", game, game), random_bytes(0x2000, 11));
  }
  const Bytes save = random_bytes(0x2000, 12);
  put("dl/Tin.sav", save, 1);
  put("dl/Moss.sav", save, 1);
  expect_carried("shelf", {{"dl/Moss.sav", "Moss (Europe)/save/Moss (Europe).sav", save},
                           {"dl/Tin.sav", "Tin (Europe)/save/Tin (Europe).sav", save}});
}

TEST_F(HomeTrees, ExtensionsByChip) {
  const std::vector<std::tuple<std::string, std::string, std::string, std::size_t>> games{
      {"Copper Tide", "NCTE", "sra", 0x8000},
      {"Glacier Post", "NGPE", "eep", 0x200},
      {"Tin", "NTNE", "fla", 0x20000}};
  for (const auto& [title, code, extension, size] : games) {
    put("n64/" + title + " (USA).z64", demo::n64_rom(test::upper(title), code));
    put(fmt::format("n64/{} (USA).{}", title, extension), random_bytes(size, 13));
  }
  const Bytes save = random_bytes(0x20000, 14);
  put("dl/Tin.sav", save, 1);
  expect_carried("n64", {{"dl/Tin.sav", "Tin (USA).fla", save}});
}

TEST_F(HomeTrees, ATrailerBehindEverySave) {
  const Bytes trailer = random_bytes(122, 15);
  for (const std::string game : {"Ledger (Europe)", "Lantern (Europe)"}) {
    put("ds/" + game + ".nds", demo::nds_rom(test::upper(game.substr(0, game.find(' '))),
                                             game.starts_with("Ledger") ? "YLDP" : "YLTP"));
    put("ds/" + game + ".dsx", random_bytes(0x80000, 16) + trailer);
  }
  const Bytes save = random_bytes(0x80000, 17);
  put("dl/Ledger.sav", save, 1);
  expect_carried("ds",
                 {{"dl/Ledger.sav", "Ledger (Europe).dsx", random_bytes(0x80000, 17) + trailer}});
}

TEST_F(HomeTrees, RomsAreZipped) {
  for (const std::string game : {"Kite (Europe)", "Moss (Europe)"}) {
    put("in/" + game + ".gb", gb(test::upper(game.substr(0, game.find(' ')))));
    std::filesystem::create_directories(folder_ / "packed/roms");
    const auto zipped = test::run_program(
        {"bsdtar", "--format=zip", "-cf", at("packed/roms/" + game + ".zip"), game + ".gb"},
        folder_ / "in", {});
    ASSERT_EQ(zipped.status, 0);
    put("packed/battery/" + game + ".sav", random_bytes(0x2000, 18));
  }
  const Bytes save = random_bytes(0x2000, 19);
  put("dl/MOSS.SAV", save, 1);
  expect_carried("packed", {{"dl/MOSS.SAV", "battery/Moss (Europe).sav", save}});
}

TEST_F(HomeTrees, ADownloadInAnArchive) {
  for (const std::string game : {"Kite (Europe)", "Moss (Europe)"}) {
    put("lib/" + game + ".gb", gb(test::upper(game.substr(0, game.find(' ')))));
    put("lib/" + game + ".srm", random_bytes(0x2000, 20));
  }
  const Bytes save = random_bytes(0x2000, 21);
  Bytes tar;
  test::add_to_tar(tar, "Kite_100%/notes.txt", Bytes(60, std::byte{'x'}));
  test::add_to_tar(tar, "Kite_100%/Kite (Europe) (Rev 1).sav", save);
  put("dl/kite_100.zip", test::closed_tar(tar), 1);
  expect_carried("lib", {{"dl/kite_100.zip", "Kite (Europe).srm", save}});
}

TEST_F(HomeTrees, StatesBesideSaves) {
  for (const std::string game : {"Kite (Europe)", "Moss (Europe)"}) {
    for (const std::string place : {"old", "new"})
      put(fmt::format("{}/{}.gb", place, game), gb(test::upper(game.substr(0, game.find(' ')))));
    put("new/" + game + ".srm", random_bytes(0x2000, 22));
    for (const std::string slot : {"", "1", "3"})
      put(fmt::format("new/{}.state{}", game, slot), random_bytes(41'000, 23));
    for (const std::string slot : {"1", "2"})
      put(fmt::format("old/states/{}.state{}", game, slot), random_bytes(41'000, 24));
  }
  expect_carried("new", {{"old/states/Moss (Europe).state2", "Moss (Europe).state2",
                          random_bytes(41'000, 24)}});
}

TEST_F(HomeTrees, SinglesOfOneRegionInAFolder) {
  const auto single = [](const std::string& name, std::uint32_t seed) {
    const Save save = demo::ps1_save(name, "Kite", 1, demo::Art::kite, seed);
    return (*find_layout("ps1-single"))->write({std::span(&save, 1), std::nullopt, {}})->bytes;
  };
  put("ps/BASLUS-00417SKY.mcs", single("BASLUS-00417SKY", 25));
  put("ps/BASLUS-00419SHORE.mcs", single("BASLUS-00419SHORE", 26));
  const Bytes save = single("BASLUS-00417SKY", 27);
  put("dl/save (3).mcs", save, 1);
  const Bytes other = single("BASLUS-00431TOWER", 28);
  put("dl/tower.mcs", other, 1);
  expect_carried("ps", {{"dl/save (3).mcs", "BASLUS-00417SKY.mcs", save},
                        {"dl/tower.mcs", "BASLUS-00431TOWER.mcs", other}});
}

TEST_F(HomeTrees, OneCardForAll) {
  const auto with = [](std::uint32_t seed, bool more) {
    std::vector<Save> saves{demo::ps1_save("BASLUS-00417SKY", "Sky", 1, demo::Art::star, seed)};
    if (more) saves.push_back(demo::ps1_save("BASLUS-00419SHORE", "Shore", 2, demo::Art::wave, 7));
    return demo::card_with("ps1-card", 15, saves);
  };
  put("tray/bios/boot.bin", random_bytes(0x80000, 29));
  put("tray/memcards/shared.mcd", with(30, true));
  put("dl/friend.mcr", with(31, false), 1);
  // The new save takes the old one's place; what else the card holds stays as it is.
  Bytes expected = with(30, true);
  const CardLayout& layout = *as_card(*find_layout("ps1-card"));
  expected = layout
                 .change(expected,
                         {{0}, {demo::ps1_save("BASLUS-00417SKY", "Sky", 1, demo::Art::star, 31)}})
                 ->bytes;
  expect_carried("tray", {{"dl/friend.mcr:BASLUS-00417SKY", "memcards/shared.mcd", expected}});
}

TEST_F(HomeTrees, ATitleTreeWithAccounts) {
  const std::string title = "usr/save/00050000/10100a00/user";
  for (const std::string account : {"80000001", "common"})
    put(fmt::format("wiiu/{}/{}/slot.dat", title, account), random_bytes(4096, 32));
  put("wiiu/usr/save/00050000/10100b00/user/80000001/slot.dat", random_bytes(4096, 33));
  const Bytes save = random_bytes(4096, 34);
  put("dl/00050000/10100a00/user/80000001/slot.dat", save, 1);
  junk("wiiu");
  const auto before = test::snapshot(folder_ / "wiiu");
  const CarryReport report =
      carry_one(at("dl/00050000/10100a00/user/80000001"), at("wiiu"), {Code::newer_there});
  ASSERT_EQ(stop_code(report), "") << report.moves.at(0).checks.back().text;
  EXPECT_EQ(move_of(report).to, at("wiiu/" + title + "/80000001"));
  EXPECT_TRUE(test::read(folder_ / ("wiiu/" + title + "/80000001/slot.dat")) == save);
  expect_undo_restores("wiiu", before);
}

TEST_F(HomeTrees, SerialsInFolderNames) {
  const auto folder = [&](const std::string& path, std::uint32_t seed) {
    put(path + "/PARAM.SFO", test::read(folder_ / "cabinet/desk/psp/ULES10099CUP/PARAM.SFO"));
    put(path + "/DATA.BIN", random_bytes(2000, seed));
  };
  folder("stick/PSP/SAVEDATA/ULES10099CUP", 35);
  put("stick/PSP/GAME/readme.txt", Bytes(40, std::byte{'r'}));
  folder("dl/ULES10099CUP", 36);
  junk("stick");
  const auto before = test::snapshot(folder_ / "stick");
  for (const bool learned : {false, true}) {
    if (learned) learn("stick");
    const CarryReport report =
        carry_one(at("dl/ULES10099CUP"), learned ? "stick" : at("stick"), {Code::newer_there});
    ASSERT_EQ(stop_code(report), "") << report.moves.at(0).checks.back().text;
    EXPECT_EQ(move_of(report).to, at("stick/PSP/SAVEDATA/ULES10099CUP"));
    EXPECT_TRUE(test::read(folder_ / "stick/PSP/SAVEDATA/ULES10099CUP/DATA.BIN") ==
                random_bytes(2000, 36));
    expect_undo_restores("stick", before);
  }
}

TEST_F(HomeTrees, BackupMemoryOfAnotherConsole) {
  const auto memory = [](std::uint32_t seed) {
    return demo::card_with("saturn-bram", 510,
                           {demo::saturn_save("MERIDIAN_01", "Chapter 4", 3000, seed),
                            demo::saturn_save("MERIDIAN_SY", "Settings", 100, 7)});
  };
  put("sega/Meridian (Europe).bram", memory(37));
  put("sega/Meridian (Europe).cue", Bytes(80, std::byte{'c'}));
  Bytes expected = memory(37);
  const Save newer = demo::saturn_save("MERIDIAN_01", "Chapter 4", 3000, 38);
  expected = (as_card(*find_layout("saturn-bram")))->change(expected, {{0}, {newer}})->bytes;
  put("dl/memory.bin", memory(38), 1);
  expect_carried("sega", {{"dl/memory.bin:MERIDIAN_01", "Meridian (Europe).bram", expected}});
}

TEST_F(HomeTrees, ClocksBesideSaves) {
  Bytes clock(48);
  for (std::size_t i = 0; i < 5; ++i) test::put_le(clock, i * 4, 3 + i, 4);
  test::put_le(clock, 40, 1'790'000'000, 8);
  for (const std::string game : {"Kite (Europe)", "Moss (Europe)"}) {
    put("hand/" + game + ".gb", demo::gb_rom(test::upper(game.substr(0, game.find(' '))), 0x10, 3));
    put("hand/" + game + ".srm", random_bytes(0x8000, 39));
    put("hand/" + game + ".rtc", clock);
  }
  junk("hand");
  const Bytes save = random_bytes(0x8000, 40);
  put("dl/Kite.sav", random_bytes(0x8000, 40) + clock, 1);
  const auto before = test::snapshot(folder_ / "hand");
  const CarryReport report = carry_one(at("dl/Kite.sav"), at("hand"), {Code::newer_there});
  ASSERT_EQ(stop_code(report), "") << report.moves.at(0).checks.back().text;
  EXPECT_TRUE(test::read(folder_ / "hand/Kite (Europe).srm") == save);
  EXPECT_TRUE(test::read(folder_ / "hand/Kite (Europe).rtc") == clock);
  expect_undo_restores("hand", before);
}

// Every game of a system as its largest chip, until the game first saves.
TEST_F(HomeTrees, EveryGameAsTheLargestChip) {
  const std::vector<std::tuple<std::string, std::string, std::string, std::size_t>> games{
      {"Harbour", "AHBP", "SRAM_V113", 0x8000},
      {"Motor", "AMTP", "FLASH512_V131", 0x10000},
      {"Lantern", "ALTP", "EEPROM_V122", 0x2000}};
  const auto large = [](Bytes save) {
    save.resize(0x20000, std::byte{0xFF});
    return save;
  };
  for (const auto& [title, code, chip, size] : games)
    for (const std::string place : {"large", "small"}) {
      put(fmt::format("{}/{} (Europe).gba", place, title),
          demo::gba_rom(test::upper(title), code, chip));
      const Bytes save = random_bytes(size, 41);
      put(fmt::format("{}/{} (Europe).sav", place, title), place == "large" ? large(save) : save);
    }
  // A game that has no save there yet gets a file of the same kind as the others.
  for (const std::string place : {"large", "small"})
    put(place + "/Orchard (Europe).gba", demo::gba_rom("ORCHARD", "AORP", "SRAM_V113"));
  const Bytes first = random_bytes(0x8000, 43);
  put("dl/Orchard.sav", first, 1);
  expect_carried("large", {{"dl/Orchard.sav", "Orchard (Europe).sav", large(first)}});
  expect_carried("small", {{"dl/Orchard.sav", "Orchard (Europe).sav", first}});
  for (const auto& [title, code, chip, size] : games) {
    const Bytes save = random_bytes(size, 42);
    put("dl/" + title + " small.sav", save, 1);
    put("dl/" + title + " large.sav", large(save), 1);
    const std::string name = title + " (Europe).sav";
    for (const std::string form : {" small.sav", " large.sav"}) {
      expect_carried("large", {{fmt::format("dl/{}{}", title, form), name, large(save), title}});
      expect_carried("small", {{fmt::format("dl/{}{}", title, form), name, save, title}});
    }
  }
}

TEST_F(HomeTrees, TheFourBitChipInEveryForm) {
  const auto cells = [](std::uint32_t seed) {
    Bytes bytes = random_bytes(512, seed);
    for (std::byte& byte : bytes) byte &= std::byte{0x0F};
    return bytes;
  };
  const std::vector<std::function<Bytes(const Bytes&)>> forms{
      [](const Bytes& bytes) { return bytes; },
      [](const Bytes& bytes) {
        Bytes packed;
        for (std::size_t i = 0; i < bytes.size(); i += 2)
          packed.push_back(bytes[i] | bytes[i + 1] << 4U);
        return packed;
      },
      [](const Bytes& bytes) {
        Bytes padded = bytes;
        padded.resize(0x2000, std::byte{0xFF});
        return padded;
      }};
  for (std::size_t form = 0; form < forms.size(); ++form) {
    const std::string place = "p" + std::to_string(form);
    put(place + "/Kite (Europe).gb", demo::gb_rom("KITE", 0x06, 0));
    put(place + "/Kite (Europe).sav", forms[form](cells(50)));
    put("dl/" + std::to_string(form) + "/Kite (Europe).sav", forms[form](cells(51)), 1);
  }
  for (std::size_t from = 0; from < forms.size(); ++from)
    for (std::size_t to = 0; to < forms.size(); ++to)
      expect_carried("p" + std::to_string(to),
                     {{"dl/" + std::to_string(from) + "/Kite (Europe).sav", "Kite (Europe).sav",
                       forms[to](cells(51))}});
}

}  // namespace
}  // namespace bayswap
