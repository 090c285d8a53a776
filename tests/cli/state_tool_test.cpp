// `state list` and `state dig`, and states on other commands, as people run them.
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;

class StateTool : public test::Tool {};

TEST_F(StateTool, ListsSlotsAndDrawsThem) {
  ASSERT_EQ(run({"bay", "learn", "wharf", "wharf"}).status, 0);
  const json boards = object({"state", "list", "wharf", "--png", "board.png"});
  ASSERT_EQ(boards["boards"].size(), 1U);
  const json& board = boards["boards"][0];
  EXPECT_EQ(board["title"], "Dune Semaphore");
  EXPECT_EQ(board["system"], "a2600");
  EXPECT_EQ(board["slots"][2]["slot"], "2");
  EXPECT_EQ(board["slots"][2]["modified"], "2026-01-23T00:00:00Z");
  EXPECT_EQ(board["slots"][2]["picture"]["width"], 160);
  EXPECT_EQ(board["slots"][2]["maker"]["mark"], "TIDEPOOL");
  const Bytes png = test::read(folder_ / "board.png");
  ASSERT_GT(png.size(), 1000U);
  EXPECT_EQ(png[1], std::byte{'P'});
  const test::Outcome text = run({"state", "list", "wharf/states"});
  EXPECT_EQ(text.status, 0);
  EXPECT_NE(text.out.find("4 states"), std::string::npos);
  EXPECT_EQ(run({"state", "list", "nowhere"}).status, 3);
  EXPECT_EQ(run({"state", "list", "ferry"}).status, 1);
}

TEST_F(StateTool, LooksIntoAState) {
  const json item = object({"look", "wreck/Lantern Drift.state4"})["items"][0];
  EXPECT_EQ(item["kind"], "state");
  EXPECT_EQ(item["slot"], "4");
  EXPECT_EQ(item["state"]["maker"]["packing"], "zlib");
  EXPECT_EQ(item["state"]["maker"]["sections"], json({"MACH", "BATT", "VIEW"}));
  EXPECT_EQ(item["state"]["picture"]["height"], 120);
}

TEST_F(StateTool, DigsTheSaveOut) {
  const std::string state = "wreck/Lantern Drift.state4";
  const std::string older = "wreck/Lantern Drift, last summer.srm";
  const json dug = object({"state", "dig", state, "--like", older, "-o", "found.srm"});
  EXPECT_EQ(dug["outputs"][0]["layout"], "snes-battery");
  EXPECT_TRUE(dug["candidates"][0]["shown"]);
  EXPECT_NE(std::string(dug["candidates"][0]["evidence"]).find("word-reversed"), std::string::npos);
  Bytes expected = test::read(folder_ / older);
  for (std::size_t at = 0x700; at < 0xB00; ++at) expected[at] ^= std::byte{0x5A};
  EXPECT_EQ(test::read(folder_ / "found.srm"), expected);
  EXPECT_EQ(object({"state", "dig", state, "--like", older, "-o", "found.srm"}, 1)["error"]["code"],
            "name-taken");
  // Of another game nothing is found, and nothing is written.
  EXPECT_EQ(object({"state", "dig", state, "--like", "drawer/Ember Atlas.sav", "-o", "no.srm"},
                   1)["error"]["code"],
            "no-match");
  EXPECT_FALSE(std::filesystem::exists(folder_ / "no.srm"));
  EXPECT_EQ(run({"state", "dig", "nowhere", "-o", "x"}).status, 3);
  EXPECT_EQ(run({"state", "dig", state}).status, 2);
}

TEST_F(StateTool, ReshapesBetweenFormsExactly) {
  const std::string state = "wreck/Lantern Drift.state4";
  const Bytes original = test::read(folder_ / state);
  const json plain = object({"reshape", state, "--as", "state-plain", "-o", "plain.state4"});
  EXPECT_EQ(plain["outputs"][0]["layout"], "state-plain");
  for (const char* form : {"state-gzip", "state-zlib", "state-zip", "state-zstd", "state-lz4"}) {
    ASSERT_EQ(run({"reshape", "plain.state4", "--as", form, "-o", "packed"}).status, 0);
    ASSERT_EQ(run({"reshape", "packed", "--as", "state-plain", "-o", "back"}).status, 0);
    EXPECT_EQ(test::read(folder_ / "back"), test::read(folder_ / "plain.state4")) << form;
    std::filesystem::remove(folder_ / "packed");
    std::filesystem::remove(folder_ / "back");
  }
  ASSERT_EQ(run({"reshape", "plain.state4", "--like", state, "-o", "again.state4"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "again.state4"), original);
  EXPECT_EQ(object({"reshape", state, "--is", "state-zlib", "--as", "snes-battery", "-o", "x"},
                   1)["error"]["code"],
            "state-not-save");
  // Bytes behind the stream would be lost.
  Bytes more = original;
  more.resize(more.size() + 40);
  folder_.write("more.state4", more);
  EXPECT_EQ(
      object({"reshape", "more.state4", "--is", "state-zlib", "--as", "state-plain", "-o", "x"},
             1)["error"]["code"],
      "loses-parts");
}

TEST_F(StateTool, CarriesToASlot) {
  for (const std::string bay : {"wharf", "pier"})
    ASSERT_EQ(run({"bay", "learn", bay, bay}).status, 0);
  const json moves = object({"carry", "wharf/states/Dune Semaphore (1982) (Quay Works).st5", "--to",
                             "pier", "--slot", "free"})["moves"];
  EXPECT_EQ(moves[0]["status"], "done");
  EXPECT_EQ(moves[0]["slot"], "2");
  EXPECT_EQ(run({"undo"}).status, 0);
}

}  // namespace
}  // namespace bayswap
