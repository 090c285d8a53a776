// Places as people have them: never learned, named by a path, full of other things.
#include <gtest/gtest.h>

#include <algorithm>
#include <set>
#include <tuple>

#include "bayswap/carry.h"
#include "bayswap/look.h"
#include "bayswap/reshape.h"
#include "demo/makers.h"
#include "support/golden_cards.h"
#include "support/real_place.h"
#include "support/tar.h"

namespace bayswap {
namespace {

using test::random_bytes;
using test::operator+;

class RealPlaces : public test::RealPlaceTest {
 protected:
  void handheld() {
    std::uint32_t seed = 80;
    for (const std::string game : {"Kite", "Moss", "Tin"}) {
      folder_.write("hand/gb/" + game + " (Europe).gb", demo::gb_rom(test::upper(game), 0x03, 2));
      folder_.write("hand/gb/" + game + " (Europe).sav", random_bytes(0x2000, ++seed), 30);
    }
    junk("hand");
  }
  static Bytes file_of(const std::string& name, std::size_t size) {
    return random_bytes(size, static_cast<std::uint32_t>(name.size() * 31 + size));
  }

  // Titles of accounts with files of their own sizes, and a name beside them.
  void titles(const std::string& place, int age_days = 30) {
    for (const auto& [id, name] : kTitles) {
      const std::string title = place + "/usr/save/00050000/" + id;
      for (const auto& [file, size] : files_of(id))
        folder_.write(title + "/user/80000001/" + file, file_of(id + file, size), age_days);
      folder_.write(title + "/user/common/shared.dat", file_of(id, 40), age_days);
      folder_.write(title + "/meta/meta.xml",
                    "<?xml version=\"1.0\"?><menu><longname_ja>別</longname_ja><longname_en>" +
                        name + "</longname_en></menu>");
    }
    junk(place);
  }
  static std::vector<std::pair<std::string, std::size_t>> files_of(const std::string& id) {
    const std::size_t own = static_cast<std::size_t>(id[5] - 'a') * 100;
    return {{"slot0.bin", 900 + own}, {"slot1.bin", 901 + own}, {"sys/option.bin", 30 + own}};
  }
  const std::vector<std::pair<std::string, std::string>> kTitles{
      {"101f0a00", "Halyard"}, {"101f0b00", "Northern Relay"}, {"101f0c00", "Kite Foundry II"}};
};

TEST_F(RealPlaces, AFolderIsUnderstoodOnTheSpot) {
  handheld();
  const Bytes fresh = random_bytes(0x2000, 5);
  folder_.write("dl/Kite.sav", fresh);
  const auto before = test::snapshot(folder_ / "hand");
  const CarryReport report = carry_one(at("dl/Kite.sav"), at("hand"));
  const MoveReport move = move_of(report);
  EXPECT_EQ(move.status, MoveStatus::done);
  EXPECT_TRUE(test::read(folder_ / "hand/gb/Kite (Europe).sav") == fresh);
  ASSERT_EQ(report.understood.size(), 1U);
  EXPECT_EQ(report.understood[0].words, "gb saves beside ROMs, named after them");
  EXPECT_EQ(open().bays.bays().size(), 3U) << "it was for this command only";
  expect_undo_restores("hand", before);
}

TEST_F(RealPlaces, APathInAKnownBayMeansThatBay) {
  handheld();
  learn("hand");
  folder_.write("dl/Moss.sav", random_bytes(0x2000, 6));
  const CarryReport report = carry_one(at("dl/Moss.sav"), at("hand/gb"));
  EXPECT_TRUE(report.understood.empty());
  EXPECT_EQ(move_of(report).to, at("hand/gb/Moss (Europe).sav"));
}

TEST_F(RealPlaces, AnExistingSaveIsTheExactPlace) {
  handheld();
  const Bytes trailer = test::bytes({'M', 'A', 'R', 'K', ' ', '1', '.', '0', '\n'});
  const Bytes old = random_bytes(0x2000, 7);
  folder_.write("odd/whatever.dat", old + trailer, 30);
  const Bytes fresh = random_bytes(0x2000, 8);
  folder_.write("dl/some name.bin", fresh);
  const auto before = test::snapshot(folder_ / "odd");
  const CarryReport report = carry_one(at("dl/some name.bin"), at("odd/whatever.dat"));
  EXPECT_EQ(stop_code(report), "");
  EXPECT_TRUE(report.understood.at(0).exact);
  EXPECT_TRUE(test::read(folder_ / "odd/whatever.dat") == fresh + trailer) << "its trailer stays";
  expect_undo_restores("odd", before);
  // Another game's save does not go over it, where ROMs tell.
  folder_.write("dl2/Moss (Europe).gb", demo::gb_rom("MOSS", 0x03, 2));
  folder_.write("dl2/Moss (Europe).sav", fresh);
  EXPECT_EQ(stop_code(carry_one(at("dl2/Moss (Europe).sav"), at("hand/gb/Kite (Europe).sav"))),
            "other-game");
}

TEST_F(RealPlaces, WhatIsNoPlaceIsAnsweredSo) {
  handheld();
  folder_.write("dl/Kite.sav", random_bytes(0x2000, 9));
  std::filesystem::create_directories(folder_ / "empty");
  CarryRequest request;
  request.saves = {at("dl/Kite.sav")};
  Session session = open();
  request.to = at("empty");
  const auto nothing = carry(session, request);
  ASSERT_FALSE(nothing);
  EXPECT_EQ(nothing.error().code, Code::no_match);
  EXPECT_NE(nothing.error().text.find("nothing lies there"), std::string::npos);
  request.to = at("not/there");
  EXPECT_EQ(carry(session, request).error().code, Code::missing);
  request.to = "nobody";
  EXPECT_EQ(carry(session, request).error().code, Code::unknown_bay);
}

TEST_F(RealPlaces, OneSaveInAnArchiveNeedsNoName) {
  handheld();
  const Bytes fresh = random_bytes(0x2000, 10);
  Bytes tar;
  test::add_to_tar(tar, "pack/notes.txt", Bytes(30, std::byte{'n'}));
  test::add_to_tar(tar, "pack/Tin (USA) [a1].sav", fresh);
  tar.resize(tar.size() + 1024);
  folder_.write("dl/x.tar", tar);
  EXPECT_EQ(stop_code(carry_one(at("dl/x.tar"), at("hand"))), "no-match") << "another region's";
  CarryRequest request;
  request.saves = {at("dl/x.tar")};
  request.to = at("hand");
  request.game = "Tin";
  request.accept = {Code::newer_there};  // archives keep old times
  EXPECT_EQ(stop_code(carry_it(request)), "");
  EXPECT_TRUE(test::read(folder_ / "hand/gb/Tin (Europe).sav") == fresh);
}

TEST_F(RealPlaces, OfSeveralInAnArchiveTheGamesThereDecide) {
  handheld();
  const Bytes fresh = random_bytes(0x2000, 11);
  Bytes tar;
  test::add_to_tar(tar, "Lost.sav", random_bytes(0x2000, 12));
  test::add_to_tar(tar, "Kite.sav", fresh);
  test::add_to_tar(tar, "Gone.sav", random_bytes(0x2000, 13));
  tar.resize(tar.size() + 1024);
  folder_.write("dl/all.tar", tar);
  EXPECT_EQ(stop_code(carry_one(at("dl/all.tar"), at("hand"), {Code::newer_there})), "");
  EXPECT_TRUE(test::read(folder_ / "hand/gb/Kite (Europe).sav") == fresh);
  Bytes two;
  test::add_to_tar(two, "Moss.sav", random_bytes(0x2000, 14));
  test::add_to_tar(two, "Kite.sav", random_bytes(0x2000, 15));
  two.resize(two.size() + 1024);
  folder_.write("dl/two.tar", two);
  CarryRequest request;
  request.saves = {at("dl/two.tar")};
  request.to = at("hand");
  Session session = open();
  const auto stopped = carry(session, request);
  ASSERT_FALSE(stopped);
  EXPECT_EQ(stopped.error().code, Code::many_match);
  EXPECT_NE(stopped.error().hint.text().find("two.tar:Moss.sav"), std::string::npos)
      << stopped.error().hint.text();
  request.saves = {at("dl/two.tar") + ":Nothing.sav"};
  const auto missing = carry(session, request);
  ASSERT_FALSE(missing);
  EXPECT_NE(missing.error().text.find("has no 'Nothing.sav'"), std::string::npos);
}

TEST_F(RealPlaces, APlainFolderFindsItsTitle) {
  titles("con");
  const auto before = test::snapshot(folder_ / "con");
  const auto folder_like = [&](const std::string& name, const std::string& id, std::size_t more) {
    for (const auto& [file, size] : files_of(id))
      folder_.write(name + "/" + file, random_bytes(size + more, 16));
  };
  const auto goes_to = [&](const std::string& source, const std::string& id,
                           const CarryRequest& how = {}) {
    CarryRequest request = how;
    request.saves = {at(source)};
    request.to = at("con");
    const CarryReport report = carry_it(request);
    EXPECT_EQ(stop_code(report), "") << source;
    EXPECT_EQ(move_of(report).to, at("con/usr/save/00050000/" + id + "/user/80000001")) << source;
    EXPECT_FALSE(move_of(report).game.title.empty()) << "headlines have names";
    expect_undo_restores("con", before);
  };
  folder_like("dl/backup", "101f0b00", 0);
  goes_to("dl/backup", "101f0b00");
  goes_to("dl", "101f0b00");
  folder_like("dl2/Title [00050000101F0C00]/deep/er", "101f0c00", 50);
  goes_to("dl2", "101f0c00");
  folder_like("dl3/kite foundry ii", "101f0a00", 0);
  goes_to("dl3/kite foundry ii", "101f0c00");
  CarryRequest named;
  named.game = "Northern";
  folder_like("dl4/x", "101f0a00", 0);
  goes_to("dl4/x", "101f0b00", named);
  named.game.reset();
  named.code = "101f0c00";
  goes_to("dl4/x", "101f0c00", named);
  // Too little is alike: it asks, and may be overruled.
  folder_like("dl5/y", "101f0a00", 7);
  folder_.write("dl5/y/other.bin", random_bytes(10, 17));
  folder_.write("dl5/y/more.bin", random_bytes(10, 18));
  EXPECT_EQ(stop_code(carry_one(at("dl5/y"), at("con"))), "likeness");
  EXPECT_EQ(stop_code(carry_one(at("dl5/y"), at("con"), {Code::likeness})), "");
  expect_undo_restores("con", before);
  folder_.write("dl6/z/nothing.like", random_bytes(10, 19));
  folder_.write("dl6/z/it.at.all", random_bytes(10, 20));
  EXPECT_EQ(stop_code(carry_one(at("dl6/z"), at("con"))), "no-match");
  EXPECT_EQ(test::snapshot(folder_ / "con"), before);
}

TEST_F(RealPlaces, OneFileGoesIntoItsTitlesFolder) {
  titles("con");
  folder_.write("con/usr/save/00050000/101f0b00/user/80000001/world.sav9", file_of("w", 300), 30);
  const auto before = test::snapshot(folder_ / "con");
  const Bytes edited = random_bytes(300, 21);
  folder_.write("dl/world.sav9", edited);
  const CarryReport report = carry_one(at("dl/world.sav9"), at("con"));
  EXPECT_EQ(stop_code(report), "");
  EXPECT_TRUE(test::read(folder_ / "con/usr/save/00050000/101f0b00/user/80000001/world.sav9") ==
              edited);
  expect_undo_restores("con", before);
  folder_.write("dl/slot0.bin", random_bytes(777, 22));
  CarryRequest request;
  request.saves = {at("dl/slot0.bin")};
  request.to = at("con");
  Session session = open();
  EXPECT_EQ(carry(session, request).error().code, Code::many_match);
  request.code = "101f0c00";
  EXPECT_EQ(stop_code(carry_it(request)), "");
  expect_undo_restores("con", before);
  request.code.reset();
  request.to = at("con/usr/save/00050000/101f0a00");
  const CarryReport exact = carry_it(request);
  EXPECT_EQ(stop_code(exact), "");
  EXPECT_EQ(move_of(exact).to, at("con/usr/save/00050000/101f0a00/user/80000001"));
  expect_undo_restores("con", before);
}

TEST_F(RealPlaces, ATitlesFolderTakesItsOwnTitleOnly) {
  titles("con");
  titles("other", 1);
  CarryRequest request;
  request.saves = {at("other/usr/save/00050000/101f0a00")};
  request.to = at("con/usr/save/00050000/101f0b00");
  EXPECT_EQ(stop_code(carry_it(request)), "other-game");
  request.to = at("con/usr/save/00050000/101f0a00");
  EXPECT_EQ(stop_code(carry_it(request)), "");
}

TEST_F(RealPlaces, EveryTitleFromOneUnlearnedPlaceToAnother) {
  titles("con");
  titles("other", 1);
  for (const auto& [id, name] : kTitles)
    folder_.write("other/usr/save/00050000/" + id + "/user/80000001/slot1.bin",
                  random_bytes(500, 23), 1);
  const auto before = test::snapshot(folder_ / "con");
  CarryRequest request;
  request.all = true;
  request.from = at("other");
  request.to = at("con");
  request.game = "Halyard";
  EXPECT_EQ(carry_it(request).moves.size(), 1U) << "only that game's";
  expect_undo_restores("con", before);
  request.game.reset();
  const CarryReport report = carry_it(request);
  EXPECT_EQ(report.moves.size(), 3U);
  for (const MoveReport& move : report.moves) EXPECT_EQ(move.status, MoveStatus::done);
  expect_undo_restores("con", before);
}

TEST_F(RealPlaces, PlainFoldersUnderTheWholeId) {
  for (const std::string place : {"a", "b/wrap/per"})
    for (const std::string id : {"00040000000D4C00", "00040000000D5500", "00040000000E0100"}) {
      folder_.write(place + "/saves/" + id + "/main", file_of(place + id, 900), 20);
      folder_.write(place + "/saves/" + id + "/sub/extra", file_of(id + place, 90), 20);
    }
  junk("a");
  folder_.write("a/saves/00040000000D5500/main", random_bytes(900, 24), 1);
  const auto before = test::snapshot(folder_ / "b");
  CarryRequest request;
  request.saves = {at("a/saves/00040000000D5500")};
  request.to = at("b");
  const CarryReport report = carry_it(request);
  EXPECT_EQ(stop_code(report), "");
  EXPECT_EQ(move_of(report).to, at("b/wrap/per/saves/00040000000D5500"));
  expect_undo_restores("b", before);
}

// Copies under names of the user's, in folders that are called after titles in one way or another.
TEST_F(RealPlaces, NamedCopies) {
  const auto files = [](std::uint32_t seed) {
    return std::vector<std::pair<std::string, Bytes>>{{"main", random_bytes(700, seed)},
                                                      {"sub/extra.bin", random_bytes(80, seed)}};
  };
  const auto write = [&](const std::string& folder, std::uint32_t seed, int age) {
    for (const auto& [name, bytes] : files(seed)) folder_.write(folder + "/" + name, bytes, age);
  };
  const std::vector<std::string> ids{"000D4C00", "000D5500", "000E0100", "000E0200", "000E0300"};
  std::uint32_t seed = 400;
  for (const std::string& id : ids)
    write("desk/sdmc/title/00040000/" + id + "/data/00000001", ++seed, 40);
  junk("desk");
  const std::vector<std::vector<std::string>> forms{
      {"0x00D4C Halyard", "0x00D55 Northern Relay", "0x00E01 Tin", "0x00E02 Moss", "0x00E03 Kite"},
      {"00040000000D4C00", "00040000000D5500", "00040000000E0100", "00040000000E0200",
       "00040000000E0300"},
      {"Halyard [00040000000D4C00]", "Relay [00040000000D5500]", "Tin [00040000000E0100]",
       "Moss [00040000000E0200]", "Kite [00040000000E0300]"},
  };
  for (std::size_t form = 0; form < forms.size(); ++form) {
    const std::string place = "sd" + std::to_string(form);
    const std::string root = place + "/manager/saves/";
    for (const std::string& title : forms[form]) {
      write(root + title + "/before the castle", 61, 30);
      write(root + title + "/Backup 2", 62, 20);
    }
    junk(place);
    auto before = test::snapshot(folder_ / place);
    // A new copy, named after the time of the progress.
    CarryRequest request;
    request.saves = {at("desk/sdmc/title/00040000/000D5500/data/00000001")};
    request.to = at(place);
    CarryReport report = carry_it(request);
    ASSERT_EQ(stop_code(report), "") << place;
    const Path fresh = move_of(report).to;
    EXPECT_EQ(fresh.parent_path(), folder_ / (root + forms[form][1])) << place;
    EXPECT_FALSE(move_of(report).replaces);
    EXPECT_EQ(carry_it(request).moves.at(0).nothing_to_do, true) << "once is enough";
    expect_undo_restores(place, before);
    // The one that the user names is replaced.
    request.copy = "Backup 2";
    request.accept = {Code::newer_there};
    report = carry_it(request);
    EXPECT_EQ(move_of(report).to, at(root + forms[form][1] + "/Backup 2"));
    expect_undo_restores(place, before);
    // An empty folder that they have made is wanted.
    request.copy.reset();
    std::filesystem::create_directory(folder_ / (root + forms[form][1] + "/here"));
    report = carry_it(request);
    EXPECT_EQ(move_of(report).to, at(root + forms[form][1] + "/here"));
    Session session = open();
    ASSERT_TRUE(undo(session, "", {}));
    std::filesystem::remove(folder_ / (root + forms[form][1] + "/here"));
    before = test::snapshot(folder_ / place);
    // And back: the newest, or the named one.
    const auto desk = test::snapshot(folder_ / "desk");
    for (const auto& [copy, seed] :
         std::vector<std::pair<std::string, std::uint32_t>>{{"", 62}, {"before the castle", 61}}) {
      CarryRequest back;
      back.all = true;
      back.from = at(place);
      back.to = at("desk");
      if (!copy.empty()) back.copy = copy;
      report = carry_it(back);
      EXPECT_EQ(report.moves.size(), 5U) << place;
      for (const MoveReport& move : report.moves) EXPECT_EQ(move.status, MoveStatus::done);
      for (const std::string& id : ids)
        EXPECT_TRUE(test::read(folder_ / ("desk/sdmc/title/00040000/" + id +
                                          "/data/00000001/main")) == files(seed)[0].second)
            << place << " " << id;
      expect_undo_restores("desk", desk);
    }
    // A folder of the manager, named by its path.
    CarryRequest one;
    one.saves = {at(root + forms[form][2])};
    one.to = at("desk");
    report = carry_it(one);
    EXPECT_EQ(stop_code(report), "");
    EXPECT_EQ(move_of(report).to, at("desk/sdmc/title/00040000/000E0100/data/00000001"));
    expect_undo_restores("desk", desk);
    // A title that the manager has not got.
    folder_.write("new/title/00040000/000F0000/data/00000001/main", random_bytes(700, 63));
    EXPECT_EQ(stop_code(carry_one(at("new/title/00040000/000F0000/data/00000001"), at(place))),
              "no-match");
    EXPECT_EQ(test::snapshot(folder_ / place), before);
  }
  learn("sd0");
  Session session = open();
  std::set<std::string> copies;
  ASSERT_TRUE(look(session, folder_ / "sd0", {}, [&](const Item& item) {
    if (item.kind == Kind::folder) copies.insert(item.game.title_id + " " + item.name);
  }));
  EXPECT_EQ(copies.size(), 10U);
  EXPECT_TRUE(copies.contains("00040000000d4c00 Backup 2"));
}

TEST_F(RealPlaces, ASealedExportNamesItsTitle) {
  const auto sealed = [](std::uint64_t title, std::uint32_t seed) {
    Bytes file = random_bytes(0xF0C0, seed) + Bytes(0x80, std::byte{0}) + random_bytes(4000, seed);
    test::put_be(file, 0xF0C0, 0x70, 4);
    test::put(file, 0xF0C4, "Bk");
    test::put_be(file, 0xF0C0 + 0x60, title, 8);
    return file;
  };
  folder_.write("stick/private/wii/title/RKFE/data.bin", sealed(0x00010000524B4645, 25), 20);
  folder_.write("stick/private/wii/title/RQCE/data.bin", sealed(0x0001000052514345, 26), 20);
  const Bytes fresh = sealed(0x00010000524B4645, 27);
  folder_.write("dl/RKFE/data.bin", fresh);
  const auto before = test::snapshot(folder_ / "stick");
  for (const std::string save : {"dl/RKFE", "dl/RKFE/data.bin", "dl"}) {
    EXPECT_EQ(stop_code(carry_one(at(save), at("stick"))), "") << save;
    EXPECT_TRUE(test::read(folder_ / "stick/private/wii/title/RKFE/data.bin") == fresh) << save;
    expect_undo_restores("stick", before);
  }
  // A European one for a stick with the American game.
  folder_.write("eu/RKFP/data.bin", sealed(0x00010000524B4650, 28));
  EXPECT_EQ(stop_code(carry_one(at("eu/RKFP"), at("stick"))), "region-differs");
  // The folder's name alone says nothing.
  folder_.write("no/RKFE/data.bin", random_bytes(70'000, 29));
  EXPECT_NE(stop_code(carry_one(at("no/RKFE"), at("stick"))), "");
  EXPECT_EQ(test::snapshot(folder_ / "stick"), before);
}

TEST_F(RealPlaces, AClockBesideItsSaveMovesWithIt) {
  const auto clock = [](unsigned hours) {
    Bytes bytes(48);
    bytes[8] = bytes[28] = static_cast<std::byte>(hours);
    test::put_le(bytes, 40, 1'700'000'000, 8);
    return bytes;
  };
  for (const std::string place : {"behind", "beside"})
    for (const std::string game : {"Kite", "Moss", "Tin"})
      folder_.write(place + "/" + game + " (Europe).gb",
                    demo::gb_rom(test::upper(game), game == "Tin" ? 0x03 : 0x10, 2));
  for (const std::string game : {"Kite", "Moss"}) {
    folder_.write("behind/" + game + " (Europe).sav", random_bytes(0x2000, 90) + clock(1), 30);
    folder_.write("beside/" + game + " (Europe).srm", random_bytes(0x2000, 91), 30);
    folder_.write("beside/" + game + " (Europe).rtc", clock(2), 30);
  }
  folder_.write("beside/Tin (Europe).srm", random_bytes(0x2000, 92), 30);
  const Bytes ram = random_bytes(0x2000, 93);
  folder_.write("behind/Kite (Europe).sav", ram + clock(7), 1);
  const auto before = test::snapshot(folder_ / "beside");
  const CarryReport report = carry_one(at("behind/Kite (Europe).sav"), at("beside"));
  EXPECT_EQ(stop_code(report), "");
  EXPECT_TRUE(test::read(folder_ / "beside/Kite (Europe).srm") == ram);
  EXPECT_TRUE(test::read(folder_ / "beside/Kite (Europe).rtc") == clock(7));
  expect_undo_restores("beside", before);
  // And back.
  folder_.write("beside/Moss (Europe).srm", ram, 1);
  folder_.write("beside/Moss (Europe).rtc", clock(9), 1);
  const auto behind = test::snapshot(folder_ / "behind");
  EXPECT_EQ(stop_code(carry_one(at("beside/Moss (Europe).srm"), at("behind"))), "");
  EXPECT_TRUE(test::read(folder_ / "behind/Moss (Europe).sav") == ram + clock(9));
  expect_undo_restores("behind", behind);
  // A game without a clock gets no file of one.
  folder_.write("dl/Tin.sav", ram, 1);
  EXPECT_EQ(stop_code(carry_one(at("dl/Tin.sav"), at("beside"))), "");
  EXPECT_FALSE(std::filesystem::exists(folder_ / "beside/Tin (Europe).rtc"));
}

// A download whose name says nothing goes to the only game whose chip it fits.
TEST_F(RealPlaces, ADownloadWithoutANameFindsItsGame) {
  handheld();
  folder_.write("hand/gb/Wide (Europe).gb", demo::gb_rom("WIDE", 0x03, 3));
  folder_.write("hand/gb/Wide (Europe).sav", random_bytes(0x8000, 4), 30);
  Bytes tar;
  test::add_to_tar(tar, "srm_03/readme.txt", Bytes(30, std::byte{'n'}));
  test::add_to_tar(tar, "srm_03/upload.bin", random_bytes(0x8000, 5));
  folder_.write("dl/up.zip", test::closed_tar(tar));
  folder_.write("dl/backup_02.bin", random_bytes(0x2000, 6));
  const auto before = test::snapshot(folder_ / "hand");
  const CarryReport report = carry_one(at("dl/up.zip"), at("hand"), {Code::newer_there});
  ASSERT_EQ(stop_code(report), "") << report.moves.at(0).checks.back().text;
  EXPECT_EQ(move_of(report).to, at("hand/gb/Wide (Europe).sav"));
  EXPECT_NE(report.moves.at(0).checks.at(0).text.find("only game there"), std::string::npos);
  expect_undo_restores("hand", before);
  // A name that is a game's speaks against all others.
  folder_.write("dl/Distant Game.sav", random_bytes(0x8000, 7));
  EXPECT_EQ(stop_code(carry_one(at("dl/Distant Game.sav"), at("hand"))), "no-match");
  // Three games have the smaller chip.
  EXPECT_EQ(stop_code(carry_one(at("dl/backup_02.bin"), at("hand"))), "many-match");
  CarryRequest request;
  request.saves = {at("dl/backup_02.bin")};
  request.to = at("hand");
  request.game = "Moss";
  EXPECT_EQ(move_of(carry_it(request)).to, at("hand/gb/Moss (Europe).sav"));
  expect_undo_restores("hand", before);
  // To be imitated, a file knows its system by the ROM beside it.
  ReshapeRequest reshaped;
  reshaped.inputs = {at("dl/backup_02.bin")};
  reshaped.like = at("hand/gb/Tin (Europe).sav");
  reshaped.out = at("out.sav");
  Session session = open();
  const auto written = reshape(session, reshaped);
  EXPECT_TRUE(written) << written.error().text;
}

// The first save of a chip in a place is called as those of its kin are.
TEST_F(RealPlaces, AChipWithoutAnExampleFollowsTheHabitThere) {
  const std::vector<std::tuple<std::string, std::string, std::size_t>> games{
      {"Copper Tide", "NCTE", 0x8000}, {"Glacier Post", "NGPE", 0x200}, {"Tin", "NTNE", 0x20000}};
  for (const std::string place : {"named", "one", "both"})
    for (const auto& [title, code, size] : games)
      folder_.write(place + "/" + title + " (USA).z64", demo::n64_rom(test::upper(title), code));
  const auto save = [](std::size_t size, std::uint32_t seed) { return random_bytes(size, seed); };
  folder_.write("named/Copper Tide (USA).sra", save(0x8000, 1), 30);
  folder_.write("named/Glacier Post (USA).eep", save(0x200, 2), 30);
  folder_.write("one/Copper Tide (USA).sav", save(0x8000, 3), 30);
  folder_.write("both/Copper Tide (USA).sav", save(0x8000, 4), 30);
  folder_.write("both/Glacier Post (USA).eee", save(0x200, 5), 30);
  for (const std::string place : {"named", "one", "both"}) junk(place);
  folder_.write("dl/Tin (USA).fla", save(0x20000, 6), 1);
  for (const auto& [place, expected] :
       {std::pair("named", "Tin (USA).fla"), std::pair("one", "Tin (USA).sav")}) {
    const auto before = test::snapshot(folder_ / place);
    const CarryReport report = carry_one(at("dl/Tin (USA).fla"), at(place));
    ASSERT_EQ(stop_code(report), "") << report.moves.at(0).checks.back().text;
    EXPECT_EQ(Path(move_of(report).to).filename(), expected);
    EXPECT_TRUE(std::ranges::any_of(report.moves.at(0).checks, [](const Finding& check) {
      return check.code == Code::assumed;
    }));
    EXPECT_EQ(test::read(folder_ / place / expected).size(), 0x20000U);
    expect_undo_restores(place, before);
  }
  EXPECT_EQ(move_of(carry_one(at("dl/Tin (USA).fla"), at("both"))).status, MoveStatus::stopped)
      << "two extensions that say nothing";
}

// Single saves sorted by region and slot, several games in each.
TEST_F(RealPlaces, SingleSavesByRegionAndSlot) {
  const auto single = [](const std::string& code, const std::string& name, std::uint32_t seed) {
    test::GcSave save;
    save.code = code;
    save.maker = "BS";
    save.name = name;
    save.data = random_bytes(8192 * 2, seed);
    save.blocks = {5, 6};
    return test::gc_entry(save) + save.data;
  };
  const auto file = [](const std::string& code, const std::string& name) {
    return "BS-" + code + "-" + name + ".gci";
  };
  folder_.write("gc/USA/Card A/" + file("GKTE", "kite_foundry"), single("GKTE", "kite_foundry", 1),
                30);
  folder_.write("gc/USA/Card A/" + file("GMSE", "moss_motor"), single("GMSE", "moss_motor", 2), 30);
  folder_.write("gc/EUR/Card A/" + file("GKTP", "kite_foundry"), single("GKTP", "kite_foundry", 3),
                30);
  folder_.write("gc/EUR/Card A/" + file("GTNP", "tin_orchard"), single("GTNP", "tin_orchard", 4),
                30);
  junk("gc");
  const auto before = test::snapshot(folder_ / "gc");
  const auto goes_to = [&](const Bytes& bytes, const std::string& path) {
    folder_.write("dl/download(1).gci", bytes);
    const CarryReport report = carry_one(at("dl/download(1).gci"), at("gc"), {Code::newer_there});
    EXPECT_EQ(stop_code(report), "") << path;
    EXPECT_EQ(move_of(report).to, at("gc/" + path));
    EXPECT_TRUE(test::read(folder_ / ("gc/" + path)) == bytes);
    expect_undo_restores("gc", before);
  };
  goes_to(single("GKTE", "kite_foundry", 5), "USA/Card A/" + file("GKTE", "kite_foundry"));
  goes_to(single("GKTP", "kite_foundry", 6), "EUR/Card A/" + file("GKTP", "kite_foundry"));
  goes_to(single("GDRE", "drift", 7), "USA/Card A/" + file("GDRE", "drift"));
  goes_to(single("GDRP", "drift", 8), "EUR/Card A/" + file("GDRP", "drift"));
  folder_.write("dl/jp.gci", single("GDRJ", "drift", 9));
  EXPECT_EQ(stop_code(carry_one(at("dl/jp.gci"), at("gc"))), "region-differs");
  EXPECT_EQ(test::snapshot(folder_ / "gc"), before);
  // A place with one game's save only takes no other game under that one's code.
  folder_.write("one/" + file("GKTE", "kite_foundry"), single("GKTE", "kite_foundry", 10), 30);
  folder_.write("dl/moss.gci", single("GMSE", "moss_motor", 11));
  const CarryReport report = carry_one(at("dl/moss.gci"), at("one"));
  if (stop_code(report).empty()) {
    EXPECT_EQ(move_of(report).to, at("one/" + file("GMSE", "moss_motor")));
  }
}

}  // namespace
}  // namespace bayswap
