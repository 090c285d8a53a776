// Title folders and archives as a person carries them.
#include "support/golden_titles.h"
#include "support/tar.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::Tool;

class Titles : public Tool {
 protected:
  void SetUp() override {
    Tool::SetUp();
    ASSERT_EQ(run({"bay", "learn", "desk", "cabinet/desk"}).status, 0);
    ASSERT_EQ(run({"bay", "learn", "console", "cabinet/console"}).status, 0);
  }
};

TEST_F(Titles, AreLearnedAndLookedAt) {
  const json bay = object({"bay", "show", "console"})["bays"][0];
  std::map<std::string, std::string> patterns;
  for (const json& shelf : bay["shelves"]) {
    EXPECT_EQ(shelf["kind"], shelf["system"] == "x360" ? "card-save" : "folder");
    patterns[shelf["system"]] = shelf["pattern"];
  }
  EXPECT_EQ(patterns["psp"], "PSP/SAVEDATA/{label}");
  EXPECT_EQ(patterns["wii"], "title/{title_id:high}/{title_id:low}/data");
  EXPECT_EQ(patterns["3ds"], "3ds/title/{title_id:high:upper}/{title_id:low:upper}/data/00000001");
  EXPECT_EQ(patterns["wiiu"], "save/{title_id:high}/{title_id:low}/user/{account}");
  EXPECT_TRUE(bay["unexplained"].empty()) << bay["unexplained"];
  const json psp = object({"look", "cabinet/desk/psp/ULES10099CUP"})["items"][0];
  EXPECT_EQ(psp["system"], "psp");
  EXPECT_EQ(psp["kind"], "folder");
  EXPECT_EQ(psp["game"]["serial"], "ULES10099");
  EXPECT_EQ(psp["details"]["TITLE"], "Saltmarsh Circuit");
  const json all = object({"look", "cabinet/desk"})["items"];
  EXPECT_EQ(all.size(), 9U) << all;
  EXPECT_EQ(object({"look", "cabinet/desk/wiiu/00050000"})["items"][0]["game"]["account"],
            "80000001");
}

TEST_F(Titles, MoveWholeAndComeBack) {
  const auto before = test::snapshot(folder_ / "cabinet");
  const json moved = object({"carry", "desk:ULES10099CUP", "--to", "console"})["moves"][0];
  EXPECT_EQ(moved["status"], "done");
  for (const char* name : {"PARAM.SFO", "DATA.BIN", "GHOST.BIN"})
    EXPECT_EQ(test::read(folder_ / "cabinet/console/PSP/SAVEDATA/ULES10099CUP" / name),
              test::read(folder_ / "cabinet/desk/psp/ULES10099CUP" / name));
  EXPECT_EQ(
      object({"carry", "desk:ULES10099CUP", "--to", "console"})["moves"][0]["checks"][0]["code"],
      "already-there");
  EXPECT_EQ(object({"carry", "console:ULES10099SYS", "--to", "desk"})["moves"][0]["status"],
            "done");
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::snapshot(folder_ / "cabinet"), before);
  // An older one stops.
  EXPECT_EQ(
      object({"carry", "console:ULES10099CUP", "--to", "desk"}, 1)["moves"][0]["checks"][0]["code"],
      "newer-there");
}

TEST_F(Titles, ChangeAccountsBothWays) {
  const std::string there = "cabinet/console/save/00050000/10100a00/user/";
  const json plan =
      object({"carry", "cabinet/desk/wiiu/00050000/10100a00", "--to", "console", "--plan"});
  EXPECT_TRUE(plan["moves"][0]["to"].get<std::string>().ends_with("user/8000002a")) << plan;
  ASSERT_EQ(run({"carry", "desk:Halyard", "--to", "console"}).status, 0);
  EXPECT_EQ(
      test::read(folder_ / (there + "8000002a/harbour/2.sav")),
      test::read(folder_ / "cabinet/desk/wiiu/00050000/10100a00/user/80000001/harbour/2.sav"));
  std::filesystem::remove_all(folder_ /
                              "cabinet/desk/wiiu/00050000/10100a00/user/80000001/harbour");
  ASSERT_EQ(run({"carry", "console:Halyard", "--to", "desk", "--accept", "newer-there"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "cabinet/desk/wiiu/00050000/10100a00/user/80000001/harbour/2.sav"),
            test::read(folder_ / (there + "8000002a/harbour/2.sav")));
  // Two accounts: which one is not said.
  folder_.write(there + "80000001/profile.dat", test::random_bytes(10, 1));
  const json two = object({"carry", "desk:Halyard", "--to", "console"}, 1);
  EXPECT_EQ(two["moves"][0]["checks"][0]["code"], "many-match");
  EXPECT_EQ(object({"carry", "desk:Halyard", "--to", "console", "--account", "8000002A",
                    "--plan"})["moves"][0]["status"],
            "planned");
}

TEST_F(Titles, AnotherRegionStopsUntilItIsLetThrough) {
  std::filesystem::rename(folder_ / "cabinet/console/title/00010000/524b4645",
                          folder_ / "cabinet/console/title/00010000/524b4650");
  const json stopped = object({"carry", "desk:Kite Foundry", "--to", "console"}, 1);
  EXPECT_EQ(stopped["moves"][0]["checks"][0]["code"], "region-differs");
  EXPECT_NE(stopped.dump().find("--code 00010000524b4650"), std::string::npos);
  EXPECT_EQ(run({"carry", "desk:Kite Foundry", "--to", "console", "--code", "RKFP"}).status, 1);
  const json moved = object({"carry", "desk:Kite Foundry", "--to", "console", "--code", "RKFP",
                             "--accept", "region-differs"})["moves"][0];
  EXPECT_EQ(moved["status"], "done");
  EXPECT_EQ(test::read(folder_ / "cabinet/console/title/00010000/524b4650/data/save.dat"),
            test::read(folder_ / "cabinet/desk/wii/title/00010000/524b4645/data/save.dat"));
  // Its companion went along, and comes back with the same undo.
  EXPECT_TRUE(std::filesystem::exists(folder_ / "cabinet/console/shared/roster.db"));
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "cabinet/console/shared/roster.db"));
}

TEST_F(Titles, HashedNamesAreToldByLikeness) {
  const std::string bays = "[bay.vault]\nplace = \"" + (folder_ / "vault").string() +
                           "\"\n[[bay.vault.shelf]]\nsystem = \"3ds\"\npattern = \"{stem}\"\n"
                           "layout = [\"3ds-title\"]\n";
  Bytes file = test::read(folder_ / "xdg/config/bayswap/bays.toml");
  for (const char c : bays) file.push_back(static_cast<std::byte>(c));
  folder_.write("xdg/config/bayswap/bays.toml", file);
  const Path relay = folder_ / "cabinet/console/3ds/title/00040000/000D4C00/data/00000001";
  std::filesystem::create_directories(folder_ / "vault");
  std::filesystem::copy(relay, folder_ / "vault/9c1185a5c5e9fc54",
                        std::filesystem::copy_options::recursive);
  folder_.write("vault/3f786850e387550f/main", test::random_bytes(900, 1));
  folder_.write("vault/3f786850e387550f/other", test::random_bytes(5, 1));
  const std::string source = "cabinet/desk/3ds/title/00040000/000d4c00";
  const json plan = object({"carry", source, "--to", "vault", "--plan", "--accept", "newer-there"});
  EXPECT_TRUE(plan["moves"][0]["to"].get<std::string>().ends_with("9c1185a5c5e9fc54")) << plan;
  EXPECT_NE(plan.dump().find("4 of 4 names match"), std::string::npos) << plan;
  // A near miss is refused.
  std::filesystem::remove_all(folder_ / "vault/9c1185a5c5e9fc54/route");
  const json near = object({"carry", source, "--to", "vault"}, 1);
  EXPECT_EQ(near["moves"][0]["checks"][0]["code"], "no-match");
  EXPECT_NE(near.dump().find("has 2 of 4 names"), std::string::npos) << near;
}

TEST_F(Titles, ADamagedParamSfoStops) {
  const std::string sfo = "cabinet/desk/psp/ULES10099CUP/PARAM.SFO";
  folder_.write(sfo, test::random_bytes(700, 3));
  EXPECT_EQ(object({"carry", "cabinet/desk/psp/ULES10099CUP", "--to", "console"},
                   1)["moves"][0]["checks"][0]["code"],
            "damaged");
}

TEST_F(Titles, SavesInsideArchivesAreReached) {
  Bytes tar;
  test::add_to_tar(tar, "dumps/Copper Tide (America).sra",
                   test::read(folder_ / "reader/Copper Tide (America).sra"));
  test::add_to_tar(tar, "left.card", test::read(folder_ / "den/cards/left.card"));
  for (const char* name : {"PARAM.SFO", "DATA.BIN", "GHOST.BIN"})
    test::add_to_tar(tar, std::string("ULES10099CUP/") + name,
                     test::read(folder_ / "cabinet/desk/psp/ULES10099CUP" / name));
  test::add_to_tar(tar, "../outside.sav", test::random_bytes(8192, 1));
  test::add_to_tar(tar, "link.sav", {}, '2', "/etc/passwd");
  folder_.write("pack.tar", test::closed_tar(tar));
  const json item = object({"look", "pack.tar"})["items"][0];
  ASSERT_EQ(item["saves"].size(), 3U) << item;
  EXPECT_EQ(item["saves"][0]["name"], "ULES10099CUP");
  EXPECT_EQ(item["saves"][1]["name"], "dumps/Copper Tide (America).sra");
  EXPECT_EQ(item["saves"][2]["layout"], "ps1-card");
  EXPECT_EQ(item["other_files"], 0) << "neither a link nor a name that leads out";
  EXPECT_EQ(object({"carry", "pack.tar:dumps/Copper Tide (America).sra", "--to",
                    "den"})["moves"][0]["status"],
            "done");
  EXPECT_EQ(object({"carry", "pack.tar:ULES10099CUP", "--to", "console"})["moves"][0]["status"],
            "done");
  // Without a name, what the destination has decides.
  EXPECT_EQ(object({"carry", "pack.tar", "--to", "console"})["moves"][0]["save"], "ULES10099CUP");
  EXPECT_EQ(object({"carry", "pack.tar", "--to", "den"})["moves"][0]["system"], "n64");
  EXPECT_EQ(object({"card", "show", "pack.tar:left.card"})["items"][0]["saves"].size(), 4U);
  EXPECT_EQ(run({"card", "take", "pack.tar:left.card", "#1", "-o", "out"}).status, 0);
  const auto names = test::snapshot(folder_ / "cabinet");
  EXPECT_EQ(object({"card", "drop", "pack.tar:left.card", "#1"}, 4)["error"]["code"],
            "place-failed");
  EXPECT_EQ(test::snapshot(folder_ / "cabinet"), names);
  EXPECT_EQ(run({"look", "pack.tar:nothing"}).status, 3);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "../outside.sav"));
}

}  // namespace
}  // namespace bayswap
