// keep, history and restore as a person types them.
#include <fcntl.h>
#include <gmock/gmock.h>
#include <unistd.h>

#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using testing::HasSubstr;

class Past : public test::Tool {
 protected:
  const std::string save_ = "den/saves/Copper Tide (America).srm";
};

TEST_F(Past, AVersionIsKeptFoundAndBroughtBack) {
  EXPECT_THAT(run({"history"}).out, HasSubstr("history is empty"));
  const Bytes before = test::read(folder_ / save_);
  const json kept = object({"keep", "den", "--reason", "before the update"});
  EXPECT_GE(kept["kept"].size(), 6U);
  EXPECT_EQ(kept["unchanged"], 0);
  EXPECT_EQ(object({"keep", "den"})["unchanged"], kept["kept"].size());
  ASSERT_EQ(run({"carry", "reader:Copper Tide", "--to", "den", "--accept", "newer-there"}).status,
            0);
  const json saves = object({"history", "den:Copper Tide"})["saves"];
  ASSERT_EQ(saves.size(), 1U);
  EXPECT_EQ(saves[0]["game"]["title"], "Copper Tide");
  EXPECT_EQ(saves[0]["bay"], "den");
  const json& versions = saves[0]["versions"];
  ASSERT_EQ(versions.size(), 2U);
  EXPECT_EQ(versions[0]["size"], before.size());
  EXPECT_EQ(versions[0]["sha256"].get<std::string>().size(), 64U);
  EXPECT_EQ(versions[0]["time"].get<std::string>().back(), 'Z');
  EXPECT_TRUE(versions[1]["there_now"]);
  const auto shown = run({"history", "Copper Tide"});
  EXPECT_THAT(shown.out, HasSubstr("kept: before the update"));
  EXPECT_THAT(shown.out, HasSubstr("bytes differ"));
  EXPECT_THAT(shown.out, HasSubstr("bayswap restore"));
  const std::string first = versions[0]["version"];
  EXPECT_EQ(object({"restore", save_, "--at", first, "--plan"})["moves"][0]["status"], "planned");
  const json moved = object({"restore", save_, "--at", first});
  EXPECT_EQ(moved["moves"][0]["status"], "done");
  EXPECT_EQ(test::read(folder_ / save_), before);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_NE(test::read(folder_ / save_), before);
}

TEST_F(Past, MistakesSayWhatToDo) {
  EXPECT_EQ(object({"history", "nothing"}, 1)["error"]["code"], "no-match");
  EXPECT_EQ(object({"keep", "nowhere"}, 3)["error"]["code"], "missing");
  EXPECT_EQ(run({"restore", "nothing"}).status, 2) << "no version is named";
  ASSERT_EQ(run({"keep", save_}).status, 0);
  const json wrong = object({"restore", save_, "--at", "v77777"}, 1);
  EXPECT_EQ(wrong["error"]["code"], "no-match");
  EXPECT_THAT(wrong["error"]["hint"].get<std::string>(), HasSubstr("v"));
  EXPECT_EQ(run({"history", "tidy", "--days", "-1"}).status, 2);
  EXPECT_EQ(run({"history", "tidy", "--versions", "0"}).status, 2);
}

TEST_F(Past, HistoryIsLookedAfter) {
  ASSERT_EQ(run({"keep", "den", "ferry"}).status, 0);
  EXPECT_EQ(object({"history", "tidy", "--plan"})["tidied"]["versions"], 0);
  const json checked = object({"history", "verify"});
  EXPECT_GE(checked["checked"]["versions"], 7);
  EXPECT_TRUE(checked["findings"].empty());
  const json out = object({"history", "export", "Copper Tide", "-o", "old"});
  ASSERT_EQ(out["outputs"].size(), 1U);
  EXPECT_EQ(test::read(folder_ / out["outputs"][0]["path"].get<std::string>()),
            test::read(folder_ / save_));
  EXPECT_EQ(object({"history", "export", "-o", "old"}, 1)["error"]["code"], "name-taken");
}

// A program that still has the file open would write its own progress over what is carried.
TEST_F(Past, AFileThatAProgramHoldsOpenIsLeftAlone) {
  const Bytes before = test::read(folder_ / save_);
  const int held = ::open((folder_ / save_).c_str(), O_RDWR | O_CLOEXEC);
  ASSERT_GE(held, 0);
  const json stopped =
      object({"carry", "reader:Copper Tide", "--to", "den", "--accept", "newer-there"}, 1);
  EXPECT_THAT(stopped.dump(), HasSubstr("in-use"));
  EXPECT_THAT(stopped.dump(), HasSubstr(std::to_string(::getpid())));
  EXPECT_EQ(test::read(folder_ / save_), before);
  EXPECT_EQ(run({"card", "put", "den/cards/left.card", "nothing there"}).status, 3);
  ::close(held);
  EXPECT_EQ(run({"carry", "reader:Copper Tide", "--to", "den", "--accept", "newer-there"}).status,
            0);
}

}  // namespace
}  // namespace bayswap
