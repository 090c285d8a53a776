// The card commands as a person or script calls them.
#include "support/golden_cards.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::Outcome;
using test::Tool;

TEST_F(Tool, MakesShowsAndFillsACard) {
  const json made = object({"card", "new", "new.card", "--as", "gc-card", "--blocks", "59"});
  EXPECT_EQ(made["outputs"][0]["layout"], "gc-card");
  EXPECT_EQ(run({"card", "new", "new.card", "--as", "gc-card"}).status, 1);
  EXPECT_EQ(
      run({"card", "new", "new.card", "--as", "gc-card", "--blocks", "123", "--replace"}).status,
      0);
  EXPECT_EQ(run({"card", "new", "x.card", "--as", "gc-card", "--blocks", "60"}).status, 2);
  EXPECT_EQ(run({"card", "new", "x.card", "--as", "snes-battery"}).status, 2);
  EXPECT_EQ(run({"card", "show", "missing.card"}).status, 3);
  EXPECT_EQ(run({"card", "show", "den/notes.txt"}).status, 3);
  EXPECT_EQ(run({"card"}).status, 2);
  const json put = object({"card", "put", "new.card", "attic/cards/kites.card:kite_foundry",
                           "attic/cards/kites.card:#3"});
  EXPECT_EQ(put["moves"].size(), 2U);
  EXPECT_EQ(put["moves"][0]["status"], "done");
  const json item = object({"card", "show", "new.card"})["items"][0];
  EXPECT_EQ(item["card"]["blocks_total"], 123);
  EXPECT_EQ(item["card"]["blocks_free"], 123 - 6 - 2);
  const json& save = item["saves"][0];
  EXPECT_EQ(save["name"], "kite_foundry");
  EXPECT_EQ(save["comment"], "Kite Foundry\nWorkshop, 12 kites");
  EXPECT_EQ(save["blocks"], 6);
  EXPECT_EQ(save["size"], 6 * 8192);
  EXPECT_EQ(save["game"]["code"], "GKFE");
  EXPECT_EQ(save["game"]["title"], "Kite Foundry") << "the catalog knows it";
  EXPECT_EQ(save["modified"], "2026-04-16T08:20:00Z");
  EXPECT_EQ(object({"look", "new.card"})["items"][0]["saves"], item["saves"]);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(object({"card", "show", "new.card"})["items"][0]["saves"].size(), 0U);
}

TEST_F(Tool, TakesDropsAndStops) {
  const json taken = object({"card", "take", "den/cards/left.card", "-o", "out"});
  EXPECT_EQ(taken["outputs"].size(), 4U);
  EXPECT_EQ(taken["outputs"][0]["layout"], "ps1-single");
  EXPECT_EQ(object({"card", "take", "den/cards/left.card", "-o", "out"}, 1)["error"]["code"],
            "name-taken");
  EXPECT_EQ(object({"card", "take", "den/cards/left.card", "--as", "ps1-single-raw", "-o",
                    "raw"})["outputs"][0]["size"],
            2 * 8192);
  EXPECT_EQ(run({"card", "take", "den/cards/left.card", "--as", "gc-single", "-o", "x"}).status, 2);
  const Outcome plan = run({"card", "drop", "den/cards/left.card", "#1", "--plan"});
  EXPECT_EQ(plan.status, 0);
  EXPECT_NE(plan.out.find("Night log"), std::string::npos) << plan.out;
  EXPECT_NE(plan.out.find("would be dropped"), std::string::npos) << plan.out;
  EXPECT_EQ(object({"card", "drop", "den/cards/left.card", "SLUS-00417"}, 1)["error"]["code"],
            "many-match");
  EXPECT_EQ(object({"card", "drop", "den/cards/left.card", "#1"})["moves"][0]["status"], "done");
  EXPECT_EQ(object({"card", "put", "downloads/failed.card", "out/BASLUS-00417SKY"},
                   1)["moves"][0]["checks"][0]["code"],
            "damaged");
  EXPECT_EQ(
      object({"card", "put", "den/cards/left.card", "out/BASLUS-00417NIGHT"})["moves"][0]["status"],
      "done");
  EXPECT_EQ(run({"card", "take", "den/cards/left.card", "--deleted", "-o", "deleted"}).status, 0);
}

TEST_F(Tool, MendsAndSaysHowItWent) {
  EXPECT_EQ(object({"look", "downloads/failed.card"}, 3)["items"][0]["layout"], "ps1-card");
  const json mended = object({"card", "mend", "downloads/failed.card", "-o", "rescued.card"});
  ASSERT_EQ(mended["saves"].size(), 4U);
  for (const json& save : mended["saves"]) EXPECT_NE(save["status"], "lost") << save;
  EXPECT_EQ(object({"look", "rescued.card"})["items"][0]["findings"].size(), 0U);
  EXPECT_EQ(run({"card", "mend", "downloads/failed.card", "-o", "rescued.card"}).status, 1);
  Bytes card = test::read(folder_ / "den/cards/left.card");
  card.resize(4 * 8192);
  folder_.write("cut.card", card);
  const json cut = object({"card", "mend", "cut.card", "-o", "cut-mended.card"}, 3);
  EXPECT_EQ(cut["outputs"].size(), 1U) << "the new card is written either way";
  EXPECT_EQ(object({"look", "cut-mended.card"})["items"][0]["findings"].size(), 0U);
  const json same = object({"card", "mend", "den/cards/left.card", "-o", "same.card"});
  EXPECT_TRUE(same["unchanged"]);
  EXPECT_EQ(test::read(folder_ / "same.card"), test::read(folder_ / "den/cards/left.card"));
}

TEST_F(Tool, WritesPicturesAsPng) {
  const json shown = object({"card", "show", "attic/cards/kites.card", "--icons", "pictures"});
  EXPECT_EQ(shown["icons"].size(), 9U) << "a banner and two icons for each of three saves";
  const Bytes png = test::read(folder_ / "pictures/kite_foundry-1.png");
  ASSERT_GT(png.size(), 24U);
  EXPECT_EQ(test::get_be(png, 0, 8), 0x89504E470D0A1A0AU);
  EXPECT_EQ(test::get_be(png, 16, 4), 96U);
  EXPECT_EQ(test::get_be(png, 20, 4), 32U);
  EXPECT_EQ(object({"card", "show", "den/cards/left.card", "--icons", "pictures"})["icons"].size(),
            8U);
}

TEST_F(Tool, ReshapesASaveForAnotherRegion) {
  const json labelled =
      object({"reshape", "attic/cards/island.card:#1", "--code", "SLUS-00417", "-o", "night"});
  EXPECT_EQ(labelled["outputs"][0]["layout"], "ps1-single");
  EXPECT_EQ(labelled["findings"][0]["code"], "relabelled");
  const json item = object({"look", "night"})["items"][0];
  EXPECT_EQ(item["name"], "BASLUS-00417NIGHT");
  EXPECT_EQ(item["game"]["region"], "america");
  EXPECT_EQ(run({"reshape", "attic/cards/island.card:#1", "--code", "GKFP", "-o", "x"}).status, 2);
  EXPECT_EQ(
      run({"reshape", "reader/Copper Tide (America).sra", "--code", "NCTP", "-o", "x"}).status, 1);
}

}  // namespace
}  // namespace bayswap
