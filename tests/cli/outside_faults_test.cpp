// The tool as a process, with each of its changing system calls in turn failing, finding the disk
// full, writing half, or being its last: the old or the new is there, the next run works, and
// history is whole.
#include <algorithm>
#include <fstream>

#include "built_paths.h"
#include "support/card_zoo.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using Files = std::map<std::string, Bytes>;

/// What one command does to a place.
struct Scenario {
  std::string name;
  std::vector<std::vector<std::string>> before;  // commands that lead up to it
  std::vector<std::string> command;
  std::string place;   // that it changes, relative
  bool whole = false;  // it is the old one or the new one at every moment
  bool again = true;   // a second run gives the same place
};

std::vector<Scenario> scenarios() {
  const std::vector<std::string> carry{"carry", "reader:Copper Tide", "--to",
                                       "den",   "--accept",           "newer-there"};
  const std::string card = "den/cards/left.card";
  const std::vector<std::string> desk{"bay", "learn", "desk", "cabinet/desk"};
  const std::vector<std::string> console{"bay", "learn", "console", "cabinet/console"};
  const std::vector<std::string> carry_folder{"carry", "desk:Halyard", "--to", "console"};
  const std::string title = "cabinet/console/save/00050000/10100a00/user/8000002a";
  return {
      {"a carry", {}, carry, "den", false, true},
      {"a card's save dropped",
       {},
       {"card", "drop", card, "BASLUS-00417TOWER"},
       "den",
       false,
       false},
      {"a card's save put",
       {{"card", "take", card, "BASLUS-00417TOWER", "-o", "taken"},
        {"card", "drop", card, "BASLUS-00417TOWER"}},
       {"card", "put", card, "taken/BASLUS-00417TOWER"},
       "den",
       false,
       true},
      {"a folder carried", {desk, console}, carry_folder, "cabinet/console", true, true},
      {"an undo", {carry}, {"undo"}, "den", false, false},
      {"a keep", {}, {"keep", "den"}, "den", false, true},
      {"a restore",
       {{"keep", "den"}, carry},
       {"restore", "den:Copper Tide", "--at", "OLDEST"},
       "den",
       false,
       true},
      {"a tidy",
       {{"keep", "den"}, carry, {"undo"}, carry},
       {"history", "tidy", "--days", "0", "--versions", "1"},
       "den",
       false,
       true},
      {"a state carried",
       {{"bay", "learn", "wharf", "wharf"}, {"bay", "learn", "pier", "pier"}},
       {"carry", "wharf:Dune Semaphore", "--to", "pier"},
       "pier",
       false,
       true},
      {"a carried folder undone",
       {desk, console, carry_folder},
       {"undo"},
       "cabinet/console",
       true,
       false},
      {"a folder restored",
       {desk, console, {"keep", title}, carry_folder},
       {"restore", title, "--at", "OLDEST"},
       "cabinet/console",
       true,
       true},
  };
}

class OutsideFaults : public test::Tool {
 protected:
  test::Outcome run_with(const std::vector<std::string>& words, const std::string& kind,
                         std::size_t at) {
    std::vector<std::string> all = words;
    all.insert(all.begin(), BAYSWAP_TOOL);
    return test::run_program(
        all, folder_.path(),
        {"XDG_CONFIG_HOME=" + this->at("xdg/config"), "XDG_DATA_HOME=" + this->at("xdg/data"),
         "NO_COLOR=1", "ASAN_OPTIONS=verify_asan_link_order=0:detect_leaks=0",
         "LD_PRELOAD=" BAYSWAP_FAULTS, "BAYSWAP_FAULT_KIND=" + kind,
         "BAYSWAP_FAULT_AT=" + std::to_string(at), "BAYSWAP_FAULT_COUNT=" + this->at("count")});
  }
  [[nodiscard]] std::size_t counted() const {
    std::ifstream file(folder_ / "count");
    std::size_t number = 0;
    file >> number;
    return number;
  }
  static Files files_in(const Path& place) {
    Files files = test::contents(place);
    std::erase_if(
        files, [](const auto& file) { return file.first.find(".bayswap-") != std::string::npos; });
    return files;
  }
  static bool each_old_or_new(const Files& now, const Files& old, const Files& wanted) {
    const auto is_in = [](const Files& files, const auto& file) {
      const auto there = files.find(file.first);
      return there != files.end() && there->second == file.second;
    };
    return std::ranges::all_of(
        now, [&](const auto& file) { return is_in(old, file) || is_in(wanted, file); });
  }
  void save_as(const std::string& place, const std::string& name) {
    std::filesystem::create_directories(folder_ / place);  // where nothing was kept yet
    std::filesystem::remove_all(folder_ / name);
    ASSERT_EQ(std::system(("cp -a '" + at(place) + "' '" + at(name) + "'").c_str()), 0);
  }
  [[nodiscard]] bool has_leftovers(const std::string& place) const {
    const std::filesystem::recursive_directory_iterator files(folder_ / place);
    return std::ranges::any_of(files, [](const auto& entry) {
      return entry.path().filename().string().starts_with(".bayswap-");
    });
  }
};

class OutsideFaultsIn : public OutsideFaults, public testing::WithParamInterface<std::size_t> {};

TEST_P(OutsideFaultsIn, LeaveTheOldOrTheNew) {
  Scenario scenario = scenarios()[GetParam()];
  for (const auto& command : scenario.before) ASSERT_EQ(run(command).status, 0) << scenario.name;
  for (std::string& word : scenario.command)
    if (word == "OLDEST")
      word = object({"history", scenario.command[1]})["saves"][0]["versions"][0]["version"];
  const std::string place = scenario.place;
  save_as(place, "old-place");
  save_as("xdg/data", "old-data");
  const Files old = files_in(folder_ / place);
  ASSERT_EQ(run_with(scenario.command, "none", 0).status, 0) << scenario.name;
  const std::size_t operations = counted();
  const Files wanted = files_in(folder_ / place);
  ASSERT_GT(operations, 5U);
  // Every build tries a few of each kind (support/rounds.h).
  const auto tries = static_cast<std::size_t>(test::rounds(4));
  const std::size_t stride = std::max<std::size_t>(1, operations / tries);
  std::size_t injected = 0;
  std::size_t turn = GetParam();
  for (const std::string kind : {"kill", "error", "full", "short"}) {
    if (!test::long_run() && std::getenv("BAYSWAP_ROUNDS") == nullptr && turn++ % 2 == 0)
      continue;  // two of the kinds for each command
    for (std::size_t at = 1 + GetParam() % stride; at <= operations; at += stride) {
      SCOPED_TRACE(scenario.name + ", " + kind + " at " + std::to_string(at));
      save_as("old-place", place);
      save_as("old-data", "xdg/data");
      const test::Outcome outcome = run_with(scenario.command, kind, at);
      ++injected;
      if (kind == "short") {
        EXPECT_EQ(outcome.status, 0) << outcome.err;
      }
      if (kind == "error" || kind == "full") {
        EXPECT_TRUE(outcome.status == 0 || outcome.status == 4) << outcome.status << outcome.err;
      }
      const Files now = files_in(folder_ / place);
      // A folder is never a mixture, not even until the next run.
      EXPECT_TRUE(scenario.whole ? now == old || now == wanted : each_old_or_new(now, old, wanted));
      // The next run settles what this one left.
      const test::Outcome next = run({"history"});
      ASSERT_EQ(next.status, 0) << next.err;
      const Files settled = files_in(folder_ / place);
      if (scenario.name != "a state carried") {
        EXPECT_TRUE(settled == old || settled == wanted);
      }
      EXPECT_TRUE(each_old_or_new(settled, old, wanted));
      EXPECT_FALSE(has_leftovers(place));
      EXPECT_EQ(run({"history", "verify"}).status, 0);
      if (!scenario.again && settled != old) continue;
      const test::Outcome again = run(scenario.command);
      EXPECT_EQ(again.status, 0) << again.out << again.err;
      EXPECT_EQ(files_in(folder_ / place), wanted);
    }
  }
  std::printf("%s: %zu faults at %zu operations\n", scenario.name.c_str(), injected, operations);
}

INSTANTIATE_TEST_SUITE_P(Each, OutsideFaultsIn, testing::Range<std::size_t>(0, 11));

}  // namespace
}  // namespace bayswap
