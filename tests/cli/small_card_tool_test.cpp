// The card commands on small cards, and on paks inside containers.
#include "support/golden_small_cards.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::Tool;

TEST_F(Tool, PaksInsideContainersAreCards) {
  const std::string glacier = "den/saves/Glacier Post (America).srm";
  const std::string copper = "den/saves/Copper Tide (America).srm";
  ASSERT_EQ(run({"carry", "reader:Glacier Post", "--to", "den"}).status, 0);
  const json shown = object({"card", "show", glacier + ":pak1"})["items"][0];
  EXPECT_EQ(shown["layout"], "n64-pak");
  EXPECT_EQ(shown["card"], (json{{"blocks_total", 123}, {"blocks_free", 121}}));
  EXPECT_EQ(shown["saves"][0]["name"], "GLACIER POST");
  EXPECT_EQ(shown["saves"][0]["game"]["region"], "america");
  EXPECT_EQ(object({"card", "take", glacier + ":pak1", "-o", "notes"})["outputs"][0]["layout"],
            "n64-pak-note");
  const Bytes before = test::read(folder_ / copper);
  EXPECT_EQ(object({"card", "put", copper + ":pak3", "notes/GLACIER POST"})["moves"][0]["to"],
            copper + ":pak3");
  const Bytes after = test::read(folder_ / copper);
  ASSERT_EQ(after.size(), before.size());
  // Only the third pak changed.
  for (std::size_t i = 0; i < before.size(); ++i) {
    const bool inside = i >= 0x800 + 2 * 0x8000 && i < 0x800 + 3 * 0x8000;
    ASSERT_TRUE(inside || before[i] == after[i]) << i;
  }
  EXPECT_EQ(object({"card", "put", copper + ":pak3",
                    "notes/GLACIER POST"})["moves"][0]["checks"][0]["code"],
            "already-there");
  EXPECT_EQ(object({"card", "drop", copper + ":pak3", "NGPE"})["moves"][0]["status"], "done");
  EXPECT_EQ(object({"card", "show", copper + ":pak3"})["items"][0]["saves"].size(), 0U);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::read(folder_ / copper), before);
  const json inside = object({"look", glacier})["items"][0]["findings"];
  EXPECT_TRUE(std::any_of(inside.begin(), inside.end(), [](const json& finding) {
    return finding["code"] == "card-inside" && finding["text"] == "pak1 is a card with 1 save";
  })) << inside;
  EXPECT_EQ(run({"card", "show", copper + ":pak9"}).status, 3);
  EXPECT_EQ(run({"card", "show", copper + ":sram"}).status, 3);
}

TEST_F(Tool, APakMovesBetweenContainersAndBareFiles) {
  const Bytes pak = test::read(folder_ / "reader/Glacier Post (America).mpk");
  ASSERT_EQ(run({"carry", "reader:Glacier Post", "--to", "den"}).status, 0);
  const std::string glacier = "den/saves/Glacier Post (America).srm";
  ASSERT_EQ(run({"reshape", glacier + ":pak1", "--as", "n64-pak", "-o", "bare.mpk"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "bare.mpk"), pak);
  ASSERT_EQ(run({"reshape", "bare.mpk", "--like", "den/saves/Copper Tide (America).srm", "-o",
                 "other.srm"})
                .status,
            0);
  const Bytes other = test::read(folder_ / "other.srm");
  EXPECT_EQ(test::part_of(other, 0x800, 0x8000), pak);
  ASSERT_EQ(run({"reshape", "other.srm:pak1", "--like", glacier, "-o", "third.srm"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "third.srm"), test::read(folder_ / glacier));
  // What else the container holds would be lost.
  EXPECT_EQ(object({"reshape", glacier, "--as", "n64-pak", "-o", "x.mpk"}, 1)["error"]["code"],
            "loses-parts");
  // A note alone becomes a pak of its own.
  EXPECT_EQ(object({"reshape", "bare.mpk:#1", "--as", "n64-pak-note", "-o",
                    "note"})["outputs"][0]["size"],
            32 + 512);
  ASSERT_EQ(run({"reshape", "note", "--as", "n64-pak", "-o", "fresh.mpk"}).status, 0);
  EXPECT_EQ(object({"look", "fresh.mpk"})["items"][0]["saves"][0]["size"], 512);
}

TEST_F(Tool, DcSavesTravelWithTheirEntries) {
  const std::string card = "closet/regatta.card";
  EXPECT_EQ(object({"card", "take", card, "-o", "out"})["outputs"].size(), 3U);
  EXPECT_EQ(test::read(folder_ / "out/REGATTA_01.entry").size(), 32U);
  ASSERT_EQ(run({"card", "new", "other.card", "--as", "dc-card"}).status, 0);
  ASSERT_EQ(run({"card", "put", "other.card", "out/REGATTA_01", "out/ICONDATA_VMS"}).status, 0);
  const json there = object({"card", "show", "other.card"})["items"][0]["saves"];
  const json here = object({"card", "show", card})["items"][0]["saves"];
  EXPECT_EQ(there[0], here[1]);
  EXPECT_EQ(there[1], here[0]);
  EXPECT_EQ(there[0]["modified"], "2026-02-05T04:33:00Z");
  EXPECT_EQ(object({"look", "out/REGATTA_01.entry"})["items"][0]["findings"][0]["code"],
            "companion");
  // Without its entry, the file's name is all that is known.
  std::filesystem::remove(folder_ / "out/REGATTA_01.entry");
  std::filesystem::rename(folder_ / "out/REGATTA_01", folder_ / "out/MYCUP.vms");
  EXPECT_EQ(object({"look", "out/MYCUP.vms"})["items"][0]["name"], "MYCUP");
  EXPECT_EQ(object({"card", "show", card, "--icons", "icons"})["items"].size(), 1U);
  for (const char* name : {"ICONDATA_VMS-1", "ICONDATA_VMS-2", "REGATTA_01-3", "REGATTA_GHO-2"})
    EXPECT_TRUE(std::filesystem::exists(folder_ / "icons" / (std::string(name) + ".png"))) << name;
}

TEST_F(Tool, SaturnSavesGoToACartridgeAndBack) {
  const std::string internal = "closet/meridian internal.bram";
  const std::string cartridge = "closet/meridian cartridge.bram";
  const json before = object({"look", internal})["items"][0]["saves"];
  ASSERT_EQ(run({"card", "put", cartridge, internal + ":MERIDIAN_02"}).status, 0);
  const json there = object({"look", cartridge})["items"][0]["saves"][0];
  EXPECT_EQ(there["parts"], before[1]["parts"]);
  EXPECT_EQ(there["blocks"], (4200 + 30 + 505) / 506);
  ASSERT_EQ(run({"card", "drop", internal, "MERIDIAN_02"}).status, 0);
  ASSERT_EQ(run({"card", "put", internal, cartridge + ":#1"}).status, 0);
  const json after = object({"look", internal})["items"][0]["saves"];
  EXPECT_EQ(after.size(), 3U);
  for (const json& save : before)
    EXPECT_NE(std::find(after.begin(), after.end(), save), after.end()) << save;
  ASSERT_EQ(run({"reshape", internal, "--as", "saturn-bram-odd", "-o", "wide.bram"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "wide.bram"), test::doubled(test::read(folder_ / internal), 0xFF));
  EXPECT_EQ(object({"card", "show", "wide.bram"})["items"][0]["saves"], after);
}

TEST_F(Tool, PceMemoryIsCountedInBytes) {
  const std::string memory = "closet/menagerie.bram";
  ASSERT_EQ(run({"card", "take", memory, "-o", "out"}).status, 0);
  ASSERT_EQ(run({"card", "new", "fresh.bram", "--as", "pce-bram"}).status, 0);
  ASSERT_EQ(
      run({"card", "put", "fresh.bram", "out/COBALT-1", "out/COBALT-2", "out/MENAGERIE"}).status,
      0);
  EXPECT_EQ(test::read(folder_ / "fresh.bram"), test::read(folder_ / memory));
  const test::Outcome shown = run({"card", "show", memory});
  EXPECT_NE(shown.out.find("1,278 of 2,030 bytes free"), std::string::npos) << shown.out;
  Bytes damaged = test::read(folder_ / memory);
  test::put(damaged, 352, test::filled(16, 0xEE));
  folder_.write("damaged.bram", damaged);
  const json mended = object({"card", "mend", "damaged.bram", "-o", "mended.bram"}, 3);
  EXPECT_EQ(mended["saves"][1]["status"], "lost");
  EXPECT_EQ(object({"look", "mended.bram"})["items"][0]["saves"].size(), 2U);
}

}  // namespace
}  // namespace bayswap
