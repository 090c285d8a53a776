// Named saves of a profile, as open folders and in packages.
#include <gtest/gtest.h>

#include "bayswap/card.h"
#include "bayswap/look.h"
#include "support/golden_packages.h"
#include "support/real_place.h"

namespace bayswap {
namespace {

using test::random_bytes;

class Worlds : public test::RealPlaceTest {
 protected:
  static constexpr std::string_view kHome = "Content/E000014A5B6C7D8E/";
  static constexpr std::string_view kAway = "emu/content/E00002B16C7D8E9F/";

  static std::string number(unsigned title) {
    char text[9];
    std::snprintf(text, sizeof text, "%08X", title);
    return text;
  }

  static Bytes package(unsigned title, const Bytes& data, std::string magic = "CON ") {
    test::PackageShape shape;
    shape.magic = std::move(magic);
    shape.title = title;
    return test::PackageGolden(shape, {{"world.dat", data}}).bytes;
  }

  // As a program writes it: two numbers, and the name.
  static Bytes header(const std::string& name) {
    Bytes bytes(328);
    bytes[3] = bytes[7] = std::byte{1};
    test::put_wide(bytes, 8, name);
    return bytes;
  }

  static Bytes data_in(const Bytes& bytes) {
    const CardLayout* layout = as_card(layouts().find("x360-package"));
    const auto card = layout->open(bytes);
    EXPECT_TRUE(card);
    EXPECT_EQ(card->saves.size(), 1U);
    EXPECT_TRUE(layout->validate(bytes).empty());
    return card->saves.at(0).save.parts.at(0).data;
  }

  void SetUp() override {
    test::RealPlaceTest::SetUp();
    for (const unsigned title : kTitles) {
      const std::string home = "desk/" + std::string(kHome) + number(title) + "/00000001/";
      const std::string away = "pc/" + std::string(kAway) + number(title) + "/00000001/";
      for (unsigned i = 0; i < 2; ++i) {
        const std::string name = "WORLD0" + std::to_string(i + 1);
        folder_.write(home + name, package(title, random_bytes(9000, title + i)), 40);
        folder_.write(away + name + "/world.dat", random_bytes(9000, title + 10 + i), 30);
        folder_.write(away + name + "/thumb.png", random_bytes(500, title + 20 + i), 30);
        folder_.write(
            "pc/" + std::string(kAway) + number(title) + "/Headers/00000001/" + name + ".header",
            header("Isle of " + std::string(i == 0 ? "Gulls" : "Moss")), 30);
      }
    }
    junk("desk");
    junk("pc");
  }

  const std::vector<unsigned> kTitles{0x58360901, 0x58360902, 0x58360903, 0x58360904, 0x58360905};
};

TEST_F(Worlds, APackageOpensIntoAFolderOfItsTitle) {
  const std::string title = number(kTitles[2]);
  const std::string there = "pc/" + std::string(kAway) + title + "/00000001/";
  const Bytes fresh = random_bytes(9500, 77);
  folder_.write("dl/WORLD02", package(kTitles[2], fresh));
  folder_.write("dl/WORLD09", package(kTitles[2], fresh));
  for (const bool learned : {false, true}) {
    if (learned) learn("pc");
    const std::string to = learned ? "pc" : at("pc");
    const auto before = test::snapshot(folder_ / "pc");
    const auto contents = test::contents(folder_ / "pc");
    // The world of that name is replaced; what the program keeps beside it stays.
    CarryReport report = carry_one(at("dl/WORLD02"), to);
    EXPECT_EQ(stop_code(report), "");
    EXPECT_EQ(move_of(report).to, at(there + "WORLD02"));
    auto now = test::contents(folder_ / "pc");
    EXPECT_TRUE(now.at(std::string(there).substr(3) + "WORLD02/world.dat") == fresh);
    now[there.substr(3) + "WORLD02/world.dat"] = contents.at(there.substr(3) + "WORLD02/world.dat");
    EXPECT_EQ(now, contents);
    expect_undo_restores("pc", before);
    // A new one gets its picture and header from a world that is there.
    report = carry_one(at("dl/WORLD09"), to);
    EXPECT_EQ(stop_code(report), "");
    EXPECT_EQ(move_of(report).to, at(there + "WORLD09"));
    EXPECT_TRUE(test::read(folder_ / (there + "WORLD09/world.dat")) == fresh);
    EXPECT_TRUE(std::filesystem::exists(folder_ / (there + "WORLD09/thumb.png")));
    EXPECT_TRUE(std::filesystem::exists(
        folder_ / ("pc/" + std::string(kAway) + title + "/Headers/00000001/WORLD09.header")));
    EXPECT_EQ(test::contents(folder_ / "pc").size(), contents.size() + 3);
    expect_undo_restores("pc", before);
    // One file of a package, which says whose it is.
    report = carry_one(at("dl/WORLD02") + ":world.dat", to, {Code::newer_there});
    EXPECT_EQ(stop_code(report), "");
    EXPECT_EQ(move_of(report).to, at(there + "WORLD02"));
    expect_undo_restores("pc", before);
    const std::string strange =
        at("pc/" + std::string(kAway) + number(kTitles[0]) + "/00000001/WORLD01");
    EXPECT_EQ(stop_code(carry_one(at("dl/WORLD02") + ":world.dat", strange)), "other-game");
    // A world named as the place, and one of another title.
    report = carry_one(at("dl/WORLD09"), at(there + "WORLD01"));
    EXPECT_EQ(move_of(report).to, at(there + "WORLD01"));
    expect_undo_restores("pc", before);
    EXPECT_EQ(stop_code(carry_one(at("dl/WORLD09"), at("pc/" + std::string(kAway) +
                                                       number(kTitles[0]) + "/00000001/WORLD01"))),
              "other-game");
    EXPECT_EQ(test::snapshot(folder_ / "pc"), before);
  }
}

TEST_F(Worlds, AFolderGoesIntoAPackage) {
  const std::string title = number(kTitles[1]);
  const std::string from = "pc/" + std::string(kAway) + title + "/00000001/";
  const std::string there = "desk/" + std::string(kHome) + title + "/00000001/";
  const Bytes fresh = random_bytes(8000, 78);
  folder_.write(from + "WORLD01/world.dat", fresh);
  folder_.write(from + "NEW/world.dat", fresh);
  for (const bool learned : {false, true}) {
    if (learned) learn("desk");
    const std::string to = learned ? "desk" : at("desk");
    const auto before = test::snapshot(folder_ / "desk");
    for (const std::string name : {"WORLD01", "NEW"}) {
      const CarryReport report = carry_one(at(from + name), to);
      EXPECT_EQ(stop_code(report), "");
      EXPECT_EQ(move_of(report).to, at(there + name));
      EXPECT_TRUE(data_in(test::read(folder_ / (there + name))) == fresh);
      expect_undo_restores("desk", before);
    }
    const CarryReport report = carry_one(at(from + "NEW"), at(there + "WORLD02"));
    EXPECT_EQ(stop_code(report), "");
    EXPECT_TRUE(data_in(test::read(folder_ / (there + "WORLD02"))) == fresh);
    expect_undo_restores("desk", before);
  }
  // A publisher's package is not changed without a word.
  folder_.write(there + "GIFT", package(kTitles[1], random_bytes(9000, 5), "LIVE"));
  EXPECT_EQ(stop_code(carry_one(at(from + "NEW"), at(there + "GIFT"))), "damaged");
  // Files of other names do not make a package.
  folder_.write(from + "ODD/else.dat", fresh);
  EXPECT_EQ(stop_code(carry_one(at(from + "ODD"), at("desk"))), "no-match");
}

TEST_F(Worlds, ProfilesAreAskedForWhereSeveralPlay) {
  folder_.write("pc/emu/content/E0000000000000AA/" + number(kTitles[0]) + "/00000001/W/world.dat",
                random_bytes(900, 1));
  folder_.write("dl/W", package(kTitles[0], random_bytes(900, 2)));
  EXPECT_EQ(stop_code(carry_one(at("dl/W"), at("pc"))), "many-match");
  CarryRequest request;
  request.saves = {at("dl/W")};
  request.to = at("pc");
  request.account = "E0000000000000AA";
  EXPECT_EQ(move_of(carry_it(request)).to,
            at("pc/emu/content/E0000000000000AA/" + number(kTitles[0]) + "/00000001/W"));
}

TEST_F(Worlds, EveryWorldBetweenTwoPlaces) {
  folder_.write("other/" + std::string(kAway) + number(kTitles[0]) + "/00000001/A/world.dat",
                random_bytes(900, 1), 50);
  junk("other");
  const auto before = test::snapshot(folder_ / "other");
  CarryRequest request;
  request.all = true;
  request.from = at("pc");
  request.to = at("other");
  const CarryReport report = carry_it(request);
  EXPECT_EQ(report.moves.size(), 2 * kTitles.size());
  for (const MoveReport& move : report.moves) EXPECT_EQ(move.status, MoveStatus::done);
  expect_undo_restores("other", before);
  Session session = open();
  std::size_t worlds = 0;
  ASSERT_TRUE(look(session, folder_ / "pc", {}, [&](const Item& item) {
    if (item.layout != "x360-folder") return;
    ++worlds;
    EXPECT_TRUE(item.comment == "Isle of Gulls" || item.comment == "Isle of Moss") << item.comment;
  }));
  EXPECT_EQ(worlds, 2 * kTitles.size());
}

}  // namespace
}  // namespace bayswap
