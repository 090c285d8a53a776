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

// Whatever a card lost, it is called a damaged card, and never no card.
TEST_F(Tool, CallsDamagedCardsByTheirName) {
  struct Damage {
    std::string name;
    std::string card;
    std::function<void(Bytes&)> hit;
  };
  const auto wipe = [](std::size_t at, std::size_t size) {
    return [=](Bytes& card) {
      std::fill_n(card.begin() + static_cast<std::ptrdiff_t>(at), size, std::byte{0xE5});
    };
  };
  const auto cut = [](std::size_t size) { return [=](Bytes& card) { card.resize(size); }; };
  const std::vector<Damage> damages{
      {"ps1", "den/cards/left.card", wipe(0, 8192)},
      {"ps1", "den/cards/left.card", cut(100'000)},
      {"ps2", "den/cards/velvet.card", wipe(0, 1024)},
      {"ps2", "attic/cards/velvet.card", wipe(0, 1056)},
      {"ps2", "den/cards/velvet.card", cut(5'000'000)},
      {"gc", "attic/cards/kites.card", wipe(0, 8192)},
      {"gc", "attic/cards/kites.card", wipe(8192, 2 * 8192)},
      {"dc", "closet/regatta.card", cut(120'000)},
      {"saturn", "closet/meridian internal.bram", wipe(0, 64)},
      {"saturn", "closet/meridian cartridge.bram", cut(300'000)},
      {"pce", "closet/menagerie.bram", wipe(0, 16)},
      {"pce", "closet/menagerie.bram", cut(1'500)},
      {"n64", "reader/Glacier Post (America).mpk", wipe(0, 256)},
      {"n64", "reader/Glacier Post (America).mpk", cut(20'000)},
  };
  for (const Damage& damage : damages) {
    SCOPED_TRACE(damage.card);
    Bytes card = test::read(folder_ / damage.card);
    damage.hit(card);
    folder_.write("hit.bin", card);
    for (const auto& words : {std::vector<std::string>{"look", "hit.bin"},
                              std::vector<std::string>{"card", "show", "hit.bin"}}) {
      const auto outcome = run(words);
      const std::string said = outcome.out + outcome.err;
      EXPECT_EQ(outcome.status, 3) << said;
      EXPECT_NE(said.find("damaged"), std::string::npos) << said;
      EXPECT_NE(said.find(damage.name), std::string::npos) << said;
      EXPECT_NE(said.find("card mend"), std::string::npos) << said;
      EXPECT_EQ(said.find("no memory card"), std::string::npos) << said;
    }
    const auto mended = run({"card", "mend", "hit.bin", "-o", "mended.bin", "--replace"});
    EXPECT_TRUE(mended.status == 0 || mended.status == 3) << mended.err;
    EXPECT_EQ(run({"card", "show", "mended.bin"}).status, 0);
  }
  // Without any directory, nothing is called empty.
  Bytes card = test::read(folder_ / "attic/cards/kites.card");
  wipe(8192, 2 * 8192)(card);
  folder_.write("hit.bin", card);
  const auto dropped = run({"card", "drop", "hit.bin", "#1"});
  EXPECT_EQ(dropped.status, 3);
  EXPECT_EQ(dropped.err.find("empty"), std::string::npos) << dropped.err;
  EXPECT_NE(dropped.err.find("card mend"), std::string::npos) << dropped.err;
}

TEST_F(Tool, NamesWhatIsCompressedOrSealed) {
  const auto said_of = [&](const std::string& name, const Bytes& bytes) {
    folder_.write(name, bytes);
    const auto outcome = run({"look", name});
    EXPECT_EQ(outcome.status, 0) << outcome.err;
    return outcome.out;
  };
  const auto zipped =
      test::run_program({"gzip", "-c", at("attic/cards/island.card")}, folder_.path(), {});
  ASSERT_EQ(zipped.status, 0);
  const auto packed = std::as_bytes(std::span(zipped.out));
  const std::string card = said_of("island.packed", {packed.begin(), packed.end()});
  EXPECT_NE(card.find("compressed with gzip"), std::string::npos) << card;
  EXPECT_NE(card.find("ps1-card"), std::string::npos) << card;
  EXPECT_EQ(card.find("save state"), std::string::npos) << card;
  const std::string sealed = said_of("slot.sav", test::random_bytes(9'012, 5));
  EXPECT_NE(sealed.find("compressed or encrypted"), std::string::npos) << sealed;
  const std::string loose = said_of("notes.bin", Bytes(9'012, std::byte{'n'}));
  EXPECT_EQ(loose.find("compressed or encrypted"), std::string::npos) << loose;
}

}  // namespace
}  // namespace bayswap
