// Title folders in every arrangement that people have: by account, in slots, as named copies.
#include <gtest/gtest.h>

#include <array>
#include <cstdio>
#include <functional>
#include <random>

#include "bayswap/look.h"
#include "bayswap/versions.h"
#include "support/golden_titles.h"
#include "support/real_place.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

using test::random_bytes;

// One title of a place: its id, what people call it, and how often it was saved.
struct Title {
  std::string id;  // 16 digits
  std::string name;
};

// How a place keeps titles. Paths are below the place.
struct Arrangement {
  std::string what;
  // Where a save of the title lies: of copies the number N.
  std::function<std::string(const Title&, int)> folder;
  int copies = 1;
  bool keeps_copies = false;
  bool by_slot = false;  // the copies are numbered
  bool shared = false;   // files of all accounts lie beside each
};

std::string high(const Title& title) {
  return title.id.substr(0, 8);
}
std::string low(const Title& title) {
  return title.id.substr(8);
}

std::vector<Title> titles_of(System system) {
  const std::vector<std::string> names{"Halyard",     "Northern Relay", "Kite Foundry II",
                                       "Tin",         "Moss & Motor",   "Copper Tide",
                                       "Regatta Cup", "Gull Coast",     "Quarry"};
  std::vector<Title> titles;
  for (std::size_t i = 0; i < names.size(); ++i) {
    const std::string digit = std::to_string(i + 1);
    titles.push_back({system == System::wiiu ? "00050000"
                                               "101" +
                                                   digit + "0a00"
                      : system == System::n3ds ? "00040000"
                                                 "000d" +
                                                     digit + "c00"
                                               : "00010000"
                                                 "524" +
                                                     digit + "4" + digit + "45",
                      names[i]});
  }
  return titles;
}

class TitleTrees : public test::RealPlaceTest {
 protected:
  void fill(const std::string& place, const Arrangement& how, const std::vector<Title>& titles,
            std::uint32_t seed, int age_days) {
    for (const Title& title : titles)
      for (int copy = 0; copy < how.copies; ++copy) {
        const std::string folder = place + "/" + how.folder(title, copy);
        for (const std::string file : {"main.dat", "0/slot.bin", "1/slot.bin"})
          folder_.write(folder + "/" + file,
                        random_bytes(300 + file.size() * 10, seed + static_cast<unsigned>(copy)),
                        age_days - copy);
        if (!how.shared) continue;
        folder_.write(folder + "/../common/all.dat", random_bytes(40, seed + 7), age_days);
        folder_.write(folder + "/../meta/meta.xml", std::string("<menu></menu>"));
      }
    junk(place);
  }

  // How far below a place all its titles lie.
  static std::string common_folder(const Arrangement& how, const std::vector<Title>& titles) {
    Path common = Path(how.folder(titles[0], 0)).parent_path();
    const auto holds = [&](const Title& title) {
      const Path inside = Path(how.folder(title, 0)).lexically_relative(common);
      return inside.begin()->string() != ".." && *inside.begin() != ".";
    };
    while (!common.empty() && !std::ranges::all_of(titles, holds)) common = common.parent_path();
    return common.string();
  }

  // Carries one title and looks that nothing else changed; then undoes it. Why it stopped, if so.
  // `source_root`, `there_root`: folders below the places that the user names instead of these.
  std::string carries(const std::string& from, const Arrangement& source, const std::string& to,
                      const Arrangement& there, const Title& title, bool learned,
                      const std::string& source_root = {}, const std::string& there_root = {}) {
    SCOPED_TRACE(source.what + " to " + there.what + ": " + title.name);
    const auto before = test::snapshot(folder_ / to);
    const auto others = test::contents(folder_ / to);
    const std::string newest = from + "/" + source.folder(title, source.copies - 1);
    CarryRequest request;
    if (learned) {
      learn_at(from, source_root);
      learn_at(to, there_root);
      request.saves = {from + ":" + title.id};
    } else {
      request.saves = {at(newest)};
    }
    request.to = learned ? to : (folder_ / to / there_root).string();
    request.accept = {Code::newer_there};
    Session session = open();
    const auto report = carry(session, request);
    if (!report) return report.error().text;
    EXPECT_EQ(report->moves.size(), 1U);
    for (const Finding& check : report->moves[0].checks)
      if (check.level == Level::error) return check.text;
    EXPECT_EQ(report->moves[0].status, MoveStatus::done);
    const Path landed = report->moves[0].to;
    const Path expected =
        folder_ / (to + "/" + there.folder(title, there.keeps_copies ? there.copies : 0));
    if (!there.keeps_copies || there.by_slot) {
      EXPECT_EQ(landed, expected);
    } else {
      // A new copy has a name of its own, so one level differs.
      const Path below = landed.lexically_relative(folder_ / to);
      const Path like = expected.lexically_relative(folder_ / to);
      int differ = 0;
      EXPECT_EQ(std::distance(below.begin(), below.end()), std::distance(like.begin(), like.end()));
      for (auto a = below.begin(), b = like.begin(); a != below.end() && b != like.end(); ++a, ++b)
        differ += *a != *b ? 1 : 0;
      EXPECT_EQ(differ, 1) << landed << " like " << expected;
    }
    for (const std::string file : {"main.dat", "0/slot.bin", "1/slot.bin"})
      EXPECT_TRUE(test::read(landed / file) == test::read(folder_ / newest / file)) << file;
    if (source.shared && there.shared) {
      const Path shared = landed.parent_path() / "common/all.dat";
      const auto was = others.find(shared.lexically_relative(folder_ / to).string());
      EXPECT_TRUE(
          test::read(shared) ==
          (was != others.end() ? was->second : test::read(folder_ / newest / "../common/all.dat")))
          << "what accounts share goes along where there is none";
    }
    for (const auto& [path, bytes] : test::contents(folder_ / to)) {
      const Path full = folder_ / (to + "/" + path);
      const bool own = full.string().starts_with(landed.string() + "/") ||
                       full.string().starts_with((landed.parent_path() / "common").string());
      const auto was = others.find(path);
      EXPECT_TRUE(own || (was != others.end() && was->second == bytes)) << path;
    }
    expect_undo_restores(to, before);
    return {};
  }

  void learn_at(const std::string& name, const std::string& root) {
    Session session = open();
    const auto bay = learn_bay(disk(), session.catalog, name, folder_ / name / root);
    EXPECT_TRUE(bay) << bay.error().text;
    if (bay) {
      EXPECT_TRUE(session.bays.put(disk(), session.bays_file(), *bay));
    }
  }

  void there_and_back(System system, const Arrangement& one, const Arrangement& other) {
    const std::vector<Title> titles = titles_of(system);
    fill("one", one, titles, 100, 60);
    fill("other", other, titles, 200, 30);
    for (const bool learned : {false, true})
      for (const std::size_t which : {std::size_t{0}, std::size_t{3}}) {
        EXPECT_EQ(carries("one", one, "other", other, titles[which], learned), "");
        EXPECT_EQ(carries("other", other, "one", one, titles[which], learned), "");
      }
    std::filesystem::remove_all(folder_ / "one");
    std::filesystem::remove_all(folder_ / "other");
    std::filesystem::remove(open().bays_file());
  }
};

const Arrangement kWiiu{"a wiiu console",
                        [](const Title& title, int) {
                          return "mlc/usr/save/" + high(title) + "/" + low(title) +
                                 "/user/80000001";
                        },
                        1,
                        false,
                        false,
                        true};

TEST_F(TitleTrees, SlotsAndAccounts) {
  const std::vector<Arrangement> arrangements{
      {"id, slot, account",
       [](const Title& title, int copy) {
         return "sd/backups/" + title.id + "/" + std::to_string(copy) + "/80000001";
       },
       2, true, true, true},
      {"ID, account, slot",
       [](const Title& title, int copy) {
         return test::upper(title.id) + "/80000001/" + std::to_string(copy);
       },
       3, true, true},
      {"name and id, slot, 0x account",
       [](const Title& title, int copy) {
         return "my saves/" + title.name + " [" + title.id + "]/" + std::to_string(copy) +
                "/0x80000001";
       },
       2, true, true},
      {"halves, slot, account of 16 digits",
       [](const Title& title, int copy) {
         return "x/" + high(title) + "/" + low(title) + "/" + std::to_string(copy) +
                "/0000000080000001";
       },
       2, true, true},
      {"account, name and id, copy",
       [](const Title& title, int copy) {
         return "80000001/" + title.name + " (" + title.id + ")/" +
                (copy == 0 ? "before the castle" : "Backup " + std::to_string(copy));
       },
       2, true, false},
      {"id, user, account",
       [](const Title& title, int) { return "deep/er/" + title.id + "/user/80000001"; }},
      {"id, account", [](const Title& title, int) { return "saves/" + title.id + "/00000001"; }},
      {"id", [](const Title& title, int) { return "saves/" + title.id; }},
      {"name and id", [](const Title& title, int) { return title.name + "_" + title.id; }},
      {"id, copy",
       [](const Title& title, int copy) {
         return "saves/" + test::upper(title.id) + "/2026-0" + std::to_string(copy + 1) + "-11";
       },
       3, true, false},
  };
  for (const Arrangement& other : arrangements) there_and_back(System::wiiu, kWiiu, other);
}

TEST_F(TitleTrees, IdsAndNames) {
  const Arrangement hand{"a hand-held console", [](const Title& title, int) {
                           return "Card/0123456789abcdef0123456789abcdef/"
                                  "fedcba9876543210fedcba9876543210/title/" +
                                  high(title) + "/" + low(title) + "/data/00000001";
                         }};
  const std::vector<Arrangement> hands{
      {"0x and five digits, copy",
       [](const Title& title, int copy) {
         return "3ds/manager/saves/0x" + test::upper(title.id.substr(9, 5)) + " " + title.name +
                "/" + (copy == 0 ? "first" : "second");
       },
       2, true, false},
      {"id, slot",
       [](const Title& title, int copy) { return title.id + "/" + std::to_string(copy); }, 2, true,
       true},
      {"halves, copy",
       [](const Title& title, int copy) {
         return "t/" + high(title) + "/" + low(title) + "/copy " + std::string(1, "ab"[copy]);
       },
       2, true, false},
      {"id", [](const Title& title, int) { return "a/b c/" + test::upper(title.id); }},
  };
  for (const Arrangement& other : hands) there_and_back(System::n3ds, hand, other);
  const Arrangement console{"a console", [](const Title& title, int) {
                              return "nand/title/" + high(title) + "/" + low(title) + "/data";
                            }};
  const std::vector<Arrangement> consoles{
      {"name and id, copy",
       [](const Title& title, int copy) {
         return "saves/" + title.name + " [" + test::upper(title.id) + "]/" +
                (copy == 0 ? "old" : "new");
       },
       2, true, false},
      {"id, slot",
       [](const Title& title, int copy) { return "w/" + title.id + "/" + std::to_string(copy); }, 2,
       true, true},
  };
  for (const Arrangement& other : consoles) there_and_back(System::wii, console, other);
}

TEST_F(TitleTrees, AccountsAreAskedForWhereSeveralPlay) {
  const auto write = [&](const std::string& path, std::uint32_t seed, int age) {
    folder_.write(path + "/main.dat", random_bytes(400, seed), age);
  };
  for (const std::string id : {"10110a00", "10120a00", "10130a00"}) {
    write("con/save/00050000/" + id + "/user/80000001", 1, 30);
    for (const std::string account : {"80000002", "80000003"}) {
      write("emu/00050000/" + id + "/user/" + account, 2, 30);
      write("sd/00050000" + id + "/0/" + account, 3, 20);
    }
  }
  const std::string save = at("con/save/00050000/10110a00");
  CarryRequest request;
  request.saves = {save};
  request.to = at("emu");
  EXPECT_EQ(stop_code(carry_it(request)), "many-match");
  request.account = "80000003";
  EXPECT_EQ(move_of(carry_it(request)).to, at("emu/00050000/10110a00/user/80000003"));
  // Copies are kept under the account that they came from, once it is there.
  request.to = at("sd");
  request.account.reset();
  EXPECT_EQ(stop_code(carry_it(request)), "many-match");
  request.account = "80000002";
  EXPECT_EQ(move_of(carry_it(request)).to, at("sd/0005000010110a00/1/80000002"));
  request.account.reset();
  write("con2/save/00050000/10110a00/user/80000003", 4, 1);
  request.saves = {at("con2/save/00050000/10110a00/user/80000003")};
  EXPECT_EQ(move_of(carry_it(request)).to, at("sd/0005000010110a00/2/80000003"));
  // Back from a tree with several accounts.
  learn("sd");
  Session session = open();
  KeepRequest everything;
  everything.places = {"sd"};
  const auto kept = keep(session, everything);
  ASSERT_TRUE(kept) << kept.error().text;
  EXPECT_EQ(kept->kept.size() + kept->unchanged, 8U);
  CarryRequest back;
  back.saves = {"sd:10120a00"};
  back.to = at("con");
  const auto several = carry(session, back);
  ASSERT_FALSE(several);
  EXPECT_EQ(several.error().code, Code::many_match);
  EXPECT_NE(several.error().text.find("80000002"), std::string::npos) << several.error().text;
  back.saves = {at("sd/0005000010120a00")};
  ASSERT_FALSE(carry(session, back));
}

// A folder in a tree, and one that the user has just made, are places of their own.
TEST_F(TitleTrees, OneCopyIsAPlace) {
  for (const std::string id : {"000d1c00", "000d2c00"})
    for (const std::string copy : {"first", "second"})
      folder_.write("sd/00040000" + id + "/" + copy + "/main.dat", random_bytes(300, 9), 30);
  folder_.write("dl/title/00040000/000d1c00/data/00000001/main.dat", random_bytes(300, 10));
  std::filesystem::create_directories(folder_ / "sd/00040000000d1c00/made");
  const auto before = test::snapshot(folder_ / "sd");
  const std::string save = at("dl/title/00040000/000d1c00/data/00000001");
  for (const std::string place : {"first", "made"}) {
    const CarryReport report = carry_one(save, at("sd/00040000000d1c00/" + place));
    EXPECT_EQ(stop_code(report), "");
    EXPECT_EQ(move_of(report).to, at("sd/00040000000d1c00/" + place));
    expect_undo_restores("sd", before);
  }
  EXPECT_EQ(stop_code(carry_one(save, at("sd/00040000000d2c00/first"))), "other-game");
  const CarryReport report = carry_one(save, at("sd/00040000000d1c00"));
  EXPECT_EQ(move_of(report).to, at("sd/00040000000d1c00/made")) << "an empty folder is wanted";
  expect_undo_restores("sd", before);
  EXPECT_EQ(stop_code(carry_one(save, at("sd/00040000000d2c00"))), "other-game");
  // The same with accounts in the copies.
  const std::string title = "slots/0005000010110a00";
  for (const std::string slot : {"0", "1"})
    folder_.write(title + "/" + slot + "/80000001/main.dat", random_bytes(300, 11), 30);
  folder_.write(title + "/0/info.json", std::string("{}"));
  folder_.write("dl/00050000/10110a00/user/80000001/main.dat", random_bytes(300, 12));
  std::filesystem::create_directories(folder_ / (title + "/7"));
  for (const std::string place : {"/7", "/0", "/1/80000001"}) {
    const CarryReport in_slot = carry_one(at("dl/00050000/10110a00"), at(title + place));
    EXPECT_EQ(stop_code(in_slot), "") << place;
    EXPECT_EQ(move_of(in_slot).to, at(title + (place.size() == 2 ? place + "/80000001" : place)));
    Session session = open();
    ASSERT_TRUE(undo(session, "", {}));
  }
}

TEST_F(TitleTrees, AnotherRegionsTitleIsStopped) {
  for (const std::string copy : {"old", "new"}) {
    folder_.write("sd/Halyard [00010000524B4650]/" + copy + "/save.bin", random_bytes(300, 9), 30);
    folder_.write("sd/Moss [0001000052514345]/" + copy + "/save.bin", random_bytes(300, 9), 30);
  }
  folder_.write("dl/title/00010000/524b4645/data/save.bin", random_bytes(300, 10));
  const auto before = test::snapshot(folder_ / "sd");
  EXPECT_EQ(stop_code(carry_one(at("dl/title/00010000/524b4645/data"), at("sd"))),
            "region-differs");
  EXPECT_EQ(test::snapshot(folder_ / "sd"), before);
  const CarryReport report =
      carry_one(at("dl/title/00010000/524b4645/data"), at("sd"), {Code::region_differs});
  EXPECT_EQ(Path(move_of(report).to).parent_path(), folder_ / "sd/Halyard [00010000524B4650]");
  expect_undo_restores("sd", before);
}

// A file that several titles share lies beside the tree of titles, wherever that is in the bay.
TEST_F(TitleTrees, CompanionsLandWhereTheProgramLooks) {
  folder_.write("here/emu/nand/title/00010000/524b4645/data/save.dat", random_bytes(300, 1));
  folder_.write("here/emu/nand/shared/roster.db", random_bytes(100, 2));
  for (const std::string id : {"524b4645", "52514345"})
    folder_.write("there/a/b c/title/00010000/" + id + "/data/save.dat", random_bytes(300, 3), 30);
  junk("there");
  for (const bool learned : {false, true}) {
    if (learned) learn("there");
    const auto before = test::snapshot(folder_ / "there");
    const std::size_t files = test::contents(folder_ / "there").size();
    const CarryReport report = carry_one(at("here/emu/nand/title/00010000/524b4645/data"),
                                         learned ? "there" : at("there"));
    EXPECT_EQ(stop_code(report), "");
    EXPECT_TRUE(test::read(folder_ / "there/a/b c/shared/roster.db") == random_bytes(100, 2));
    EXPECT_EQ(test::contents(folder_ / "there").size(), files + 1);
    expect_undo_restores("there", before);
  }
}

// Saves of a handheld under their serials: the catalog tells which serials are one game.
TEST_F(TitleTrees, SiblingsByTheCatalog) {
  folder_.write("own/config/catalog.toml", std::string("[[game]]\ntitle = \"Marsh League\"\n"
                                                       "system = \"psp\"\n[game.codes]\n"
                                                       "europe = \"ULES-10099\"\n"
                                                       "america = \"ULUS-10199\"\n"));
  for (const std::string label : {"ULES10099CUP", "UCES00001A"}) {
    folder_.write("psp/PSP/SAVEDATA/" + label + "/PARAM.SFO", test::usual_sfo(label), 30);
    folder_.write("psp/PSP/SAVEDATA/" + label + "/DATA.BIN", random_bytes(300, 4), 30);
  }
  junk("psp");
  folder_.write("dl/ULUS10199CUP/PARAM.SFO", test::usual_sfo("ULUS10199CUP"));
  folder_.write("dl/ULUS10199CUP/DATA.BIN", random_bytes(300, 5));
  folder_.write("dl/ULES10099CUP/PARAM.SFO", test::usual_sfo("ULES10099CUP"));
  folder_.write("dl/ULES10099CUP/DATA.BIN", random_bytes(300, 6));
  const auto before = test::snapshot(folder_ / "psp");
  EXPECT_EQ(stop_code(carry_one(at("dl/ULUS10199CUP"), at("psp"))), "region-differs");
  EXPECT_EQ(test::snapshot(folder_ / "psp"), before);
  const CarryReport report = carry_one(at("dl/ULES10099CUP"), at("psp"));
  EXPECT_EQ(move_of(report).to, at("psp/PSP/SAVEDATA/ULES10099CUP"));
  expect_undo_restores("psp", before);
}

// Slots of an account in a place that does not say its title: files have to be alike.
TEST_F(TitleTrees, SlotsOfAnAccountWithoutATitle) {
  for (const std::string slot : {"0", "1"})
    for (const std::string file : {"main.dat", "opt/keys.bin"})
      folder_.write("My Halyard/80000001/" + slot + "/" + file, random_bytes(300, 9), 30);
  junk("My Halyard");
  for (const std::string file : {"main.dat", "opt/keys.bin"})
    folder_.write("dl/00050000/10110a00/user/80000001/" + file, random_bytes(300, 10));
  folder_.write("dl/00050000/10120a00/user/80000001/other.dat", random_bytes(300, 10));
  const auto before = test::snapshot(folder_ / "My Halyard");
  const CarryReport report = carry_one(at("dl/00050000/10110a00"), at("My Halyard"));
  EXPECT_EQ(stop_code(report), "");
  EXPECT_EQ(move_of(report).to, at("My Halyard/80000001/2"));
  expect_undo_restores("My Halyard", before);
  EXPECT_EQ(stop_code(carry_one(at("dl/00050000/10120a00"), at("My Halyard"))), "no-match");
  // And back, where the user says the title.
  folder_.write("con/00050000/10110a00/user/80000001/main.dat", random_bytes(300, 11), 50);
  folder_.write("con/00050000/10120a00/user/80000001/other.dat", random_bytes(300, 11), 50);
  CarryRequest back;
  back.saves = {at("My Halyard/80000001/1")};
  back.to = at("con");
  back.code = "10110a00";
  EXPECT_EQ(move_of(carry_it(back)).to, at("con/00050000/10110a00/user/80000001"));
}

// Folders whose names say nothing: their files tell which title each is of.
TEST_F(TitleTrees, FoldersUnderHashes) {
  const std::vector<std::string> hashes{"3fa85f6457174562b3fc2c963f66afa6",
                                        "7d444840-9dc0-11d1-b245-5ffdce74fad2",
                                        "c56a4180f65b1bec2b6aa3d9e7a15c01"};
  for (std::size_t i = 0; i < hashes.size(); ++i)
    for (const std::string file : {"main", "system", "sub/extra"})
      folder_.write("hashed/saves/" + hashes[i] + "/game" + std::to_string(i) + "_" + file,
                    random_bytes(300 + i * 10, static_cast<std::uint32_t>(i)), 30);
  junk("hashed");
  for (const std::string file : {"main", "system", "sub/extra"})
    folder_.write("dl/title/00040000/000d1c00/data/00000001/game1_" + file, random_bytes(310, 9));
  const std::string save = at("dl/title/00040000/000d1c00/data/00000001");
  Session session = open();
  const auto unsure = learn_bay(disk(), session.catalog, "hashed", folder_ / "hashed");
  ASSERT_FALSE(unsure);
  EXPECT_NE(unsure.error().text.find("3 folders named by a hash"), std::string::npos)
      << unsure.error().text;
  const auto bay =
      learn_bay(disk(), session.catalog, "hashed", folder_ / "hashed", nullptr, System::n3ds);
  ASSERT_TRUE(bay) << bay.error().text;
  ASSERT_TRUE(session.bays.put(disk(), session.bays_file(), *bay));
  const auto before = test::snapshot(folder_ / "hashed");
  const CarryReport report = carry_one(save, "hashed");
  EXPECT_EQ(stop_code(report), "");
  EXPECT_EQ(move_of(report).to, at("hashed/saves/" + hashes[1]));
  expect_undo_restores("hashed", before);
  folder_.write("dl/title/00040000/000d2c00/data/00000001/else", random_bytes(310, 9));
  EXPECT_EQ(stop_code(carry_one(at("dl/title/00040000/000d2c00/data/00000001"), "hashed")),
            "no-match");
}

// An arrangement at random: how the id is written, which levels lie below it, and what is around.
Arrangement random_arrangement(System system, std::mt19937& numbers) {
  static const std::vector<std::string> kAround{
      "sd card", "usr",  "save",        "My Games (2)", "title",   "backup.old",
      "Ünïcode", "v1.2", "0123abcd-ef", "saves {old}",  "80000009"};
  enum Levels { none, console, copy, account, copy_account, account_copy, account_title_copy };
  std::string base;
  for (auto i = numbers() % 4; i > 0; --i) base += kAround[numbers() % (kAround.size() - 1)] + "/";
  std::vector<Levels> possible{none, console, copy};
  if (system == System::wiiu)
    possible = {none, console, copy, account, copy_account, account_copy, account_title_copy};
  if (system == System::wii) possible = {console, copy};
  const Levels levels = possible[numbers() % possible.size()];
  const bool capitals = numbers() % 2 == 0;
  int id = static_cast<int>(numbers() % (system == System::n3ds ? 4 : 3));
  if (levels == none && id == 0) id = 1;
  if (levels == console) id = system == System::wiiu ? id % 2 : 0;
  const auto naming = numbers() % 3;  // of copies
  const std::vector<std::string> fronts{"", "0x", "00000000", "user_"};
  const std::string front = fronts[numbers() % fronts.size()];
  const bool copies = levels == copy || levels == copy_account || levels == account_copy ||
                      levels == account_title_copy;
  const bool by_slot = copies && (naming == 0 || levels == account_copy);
  const auto title_folder = [=](const Title& title) {
    const std::string text = capitals ? test::upper(title.id) : title.id;
    switch (id) {
      case 0: return text.substr(0, 8) + "/" + text.substr(8);
      case 1: return text;
      case 2: return title.name + " [" + text + "]";
      default: return "0x" + text.substr(9, 5) + " " + title.name;
    }
  };
  const auto copy_name = [=](int copy) {
    if (by_slot) return std::to_string(copy);
    return naming == 1 ? "2026-01-0" + std::to_string(copy + 1)
                       : (copy == 0 ? "start" : "later ") + std::to_string(copy);
  };
  const std::string player = front + "80000001";
  Arrangement how;
  how.copies = copies ? static_cast<int>(1 + numbers() % 3) : 1;
  how.keeps_copies = copies;
  how.by_slot = by_slot;
  how.folder = [=](const Title& title, int number) -> std::string {
    const std::string folder = title_folder(title);
    switch (levels) {
      case none: return base + folder;
      case console:
        return base + folder +
               (system == System::wii    ? "/data"
                : system == System::wiiu ? "/user/80000001"
                                         : "/data/00000001");
      case copy: return base + folder + "/" + copy_name(number);
      case account: return base + folder + "/" + player;
      case copy_account: return base + folder + "/" + copy_name(number) + "/" + player;
      case account_copy: return base + folder + "/" + player + "/" + copy_name(number);
      default: return base + player + "/" + folder + "/" + copy_name(number);
    }
  };
  how.what = how.folder(titles_of(system).front(), 0);
  return how;
}

TEST_F(TitleTrees, RandomTitlesGoBetweenRandomPlaces) {
  const int pairs = test::rounds(96);
  int right = 0;
  int stopped = 0;
  for (int round = 0; round < pairs; ++round) {
    std::mt19937 numbers(static_cast<std::uint32_t>(round));
    constexpr std::array<System, 3> kSystems{System::wiiu, System::n3ds, System::wii};
    const System system = kSystems[numbers() % kSystems.size()];
    const Arrangement one = random_arrangement(system, numbers);
    const Arrangement other = random_arrangement(system, numbers);
    std::vector<Title> titles = titles_of(system);
    titles.resize(5 + numbers() % (titles.size() - 4));
    const auto seed = static_cast<std::uint32_t>(numbers());
    fill("one", one, titles, seed, 60);
    fill("other", other, titles, seed + 50, 30);
    const bool learned = numbers() % 2 == 0;
    const Title& title = titles[numbers() % titles.size()];
    // The user may name a folder further down than the whole tree.
    const bool inside = numbers() % 2 == 0;
    const std::string one_root = inside ? common_folder(one, titles) : "";
    const std::string other_root = inside ? common_folder(other, titles) : "";
    for (const bool back : {false, true}) {
      const std::string place = back ? "one" : "other";
      const auto before = test::snapshot(folder_ / place);
      const std::string why =
          carries(back ? "other" : "one", back ? other : one, place, back ? one : other, title,
                  learned, back ? other_root : one_root, back ? one_root : other_root);
      if (why.empty()) {
        ++right;
        continue;
      }
      ++stopped;
      EXPECT_EQ(test::snapshot(folder_ / place), before) << "stopped, so nothing changed";
      if (test::long_run())
        std::printf("%d stopped: %s -> %s: %s\n", round, one.what.c_str(), other.what.c_str(),
                    why.c_str());
    }
    std::filesystem::remove_all(folder_ / "one");
    std::filesystem::remove_all(folder_ / "other");
    std::filesystem::remove(open().bays_file());
  }
  EXPECT_GE(right * 100, (right + stopped) * 97) << right << " right, " << stopped << " stopped";
}

}  // namespace
}  // namespace bayswap
