// Packages through the tool, as a person uses them.
#include <gmock/gmock.h>

#include "support/golden_packages.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::PackageGolden;
using test::PackageShape;
using test::usual_files;

class Packages : public test::Tool {
 protected:
  std::string place(const std::string& name) {
    return "cabinet/desk/x360/E000014A5B6C7D8E/58360801/00000001/" + name;
  }
  Path full(const std::string& name) { return folder_ / place(name); }
};

TEST_F(Packages, AreListedByWhatTheyCallThemselves) {
  const json items = object({"look", "cabinet/desk/x360"})["items"];
  std::vector<std::string> names;
  for (const json& item : items) {
    EXPECT_EQ(item["layout"], "x360-package");
    EXPECT_EQ(item["game"]["title"], "Cinder Freight");
    EXPECT_EQ(item["game"]["title_id"], "0000000058360801");
    EXPECT_EQ(item["game"]["profile"], "e000014a5b6c7d8e");
    names.push_back(item["comment"]);
  }
  EXPECT_THAT(names, testing::ElementsAre("Hold 7, ore and salt", "Hold 2, empty",
                                          "A gift from the makers"));
  EXPECT_EQ(items[0]["saves"][1]["name"], "routes/north.bin");
  EXPECT_EQ(items[0]["saves"][1]["size"], 5000);
}

TEST_F(Packages, FilesGoOutAndIn) {
  folder_.write("box", PackageGolden({}, usual_files()).bytes);
  ASSERT_EQ(run({"card", "take", "box", "-o", "out"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "out/savegame.dat"), test::random_bytes(10'000, 1));
  EXPECT_EQ(test::read(folder_ / "out/routes/north.bin"), test::random_bytes(5'000, 2));
  EXPECT_TRUE(test::read(folder_ / "out/empty").empty());
  const Bytes before = test::read(folder_ / "box");
  folder_.write("out/savegame.dat", test::random_bytes(20'000, 3));
  folder_.write("out/routes/south.bin", test::random_bytes(7, 4));
  EXPECT_EQ(object({"card", "put", "box", "out/savegame.dat"}, 1)["moves"][0]["checks"][0]["code"],
            "name-taken");
  const json put =
      object({"card", "put", "box", "out/savegame.dat", "out/routes", "--accept", "name-taken"});
  // The signature is spoken of once.
  int told = 0;
  for (const json& move : put["moves"])
    for (const json& check : move["checks"]) told += check["code"] == "signature" ? 1 : 0;
  EXPECT_EQ(told, 1);
  ASSERT_EQ(run({"card", "take", "box", "-o", "again"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "again/savegame.dat"), test::random_bytes(20'000, 3));
  EXPECT_EQ(test::read(folder_ / "again/routes/south.bin"), test::random_bytes(7, 4));
  EXPECT_EQ(run({"look", "box"}).status, 0);
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "again/savegame.dat")) << "what was taken";
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "box"), before);
  ASSERT_EQ(run({"card", "drop", "box", "empty", "#1"}).status, 0);
  EXPECT_EQ(object({"look", "box"})["items"][0]["saves"].size(), 1U);
}

TEST_F(Packages, SignedOnesStayAsTheyAre) {
  const Bytes before = test::read(full("FREIGHTGIFT"));
  folder_.write("note", "hello");
  const json stopped = object({"card", "put", place("FREIGHTGIFT"), "note"}, 1);
  EXPECT_EQ(stopped["moves"][0]["checks"][0]["code"], "damaged");
  EXPECT_EQ(run({"card", "drop", place("FREIGHTGIFT"), "#1"}).status, 1);
  EXPECT_EQ(test::read(full("FREIGHTGIFT")), before);
  EXPECT_EQ(run({"card", "put", place("FREIGHTGIFT"), "note", "--accept", "damaged"}).status, 0);
  EXPECT_EQ(object({"look", place("FREIGHTGIFT")})["items"][0]["saves"].size(), 2U);
}

TEST_F(Packages, DamageIsToldAndMended) {
  Bytes broken = PackageGolden({}, usual_files()).bytes;
  broken[PackageGolden::kHeader + 4096 * 3] ^= std::byte{1};
  folder_.write("broken", broken);
  EXPECT_EQ(object({"look", "broken"}, 3)["items"][0]["findings"][0]["code"], "damaged");
  folder_.write("note", "hello");
  EXPECT_EQ(object({"card", "put", "broken", "note"}, 1)["moves"][0]["checks"][0]["code"],
            "damaged");
  EXPECT_EQ(run({"card", "mend", "broken", "-o", "mended"}).status, 3);
  EXPECT_EQ(object({"look", "mended"})["items"][0]["saves"].size(), 3U);
  EXPECT_EQ(object({"look", "mended"})["items"][0]["comment"], "Hold 7, ore and salt");
}

TEST_F(Packages, TheThumbnailIsWritten) {
  ASSERT_EQ(run({"card", "show", place("FREIGHT01"), "--icons", "pictures"}).status, 0);
  const Bytes picture = test::read(folder_ / "pictures/Hold 7, ore and salt-1.png");
  ASSERT_GT(picture.size(), 8U);
  EXPECT_EQ(picture[1], std::byte{'P'});
  // What is no picture is not written as one.
  PackageShape shape;
  shape.thumbnail = test::random_bytes(100, 1);
  folder_.write("noise", PackageGolden(shape, {}).bytes);
  ASSERT_EQ(run({"card", "show", "noise", "--icons", "none"}).status, 0);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "none"));
}

TEST_F(Packages, GoUnderTheProfileThatPlaysThere) {
  ASSERT_EQ(run({"bay", "learn", "desk", "cabinet/desk"}).status, 0);
  ASSERT_EQ(run({"bay", "learn", "console", "cabinet/console"}).status, 0);
  const json bay = object({"bay", "show", "console"})["bays"][0];
  bool learned = false;
  for (const json& shelf : bay["shelves"])
    learned = learned ||
              shelf["pattern"] == "Content/{profile:upper}/{title_id:low:upper}/00000001/{label}";
  EXPECT_TRUE(learned) << bay;
  const auto before = test::snapshot(folder_ / "cabinet");
  const json moved = object({"carry", place("FREIGHT01"), "--to", "console"})["moves"][0];
  const std::string there = "cabinet/console/Content/E00002B16C7D8E9F/58360801/00000001/FREIGHT01";
  EXPECT_TRUE(moved["to"].get<std::string>().ends_with(there)) << moved;
  EXPECT_EQ(test::read(folder_ / there), test::read(full("FREIGHT01")));
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::snapshot(folder_ / "cabinet"), before);
  // Both ways.
  const json back =
      object({"carry", "console:FREIGHT02", "--to", "desk", "--accept", "newer-there"})["moves"][0];
  EXPECT_TRUE(back["to"].get<std::string>().ends_with(place("FREIGHT02"))) << back;
  // Two profiles: which one is not said.
  folder_.write("cabinet/console/Content/E0000AAAAAAAAAAA/58360801/00000001/OTHER",
                PackageGolden({}, {}).bytes);
  const json asked = object({"carry", place("FREIGHT01"), "--to", "console"}, 1)["moves"][0];
  EXPECT_EQ(asked["checks"][0]["code"], "many-match");
  const json said = object({"carry", place("FREIGHT01"), "--to", "console", "--account",
                            "E0000AAAAAAAAAAA"})["moves"][0];
  EXPECT_EQ(said["status"], "done");
  EXPECT_TRUE(std::filesystem::exists(
      folder_ / "cabinet/console/Content/E0000AAAAAAAAAAA/58360801/00000001/FREIGHT01"));
  // One of its files is no save of its own.
  EXPECT_EQ(object({"carry", place("FREIGHT01") + ":cargo.dat", "--to", "console"},
                   1)["moves"][0]["checks"][0]["code"],
            "no-match");
}

TEST_F(Packages, OnlyGamesMakeThem) {
  EXPECT_EQ(object({"card", "new", "made", "--as", "x360-package"}, 1)["error"]["code"],
            "no-match");
  EXPECT_FALSE(std::filesystem::exists(folder_ / "made"));
}

}  // namespace
}  // namespace bayswap
