// Another program acts in the place right before each changing system call of a command, which then
// goes on or is killed there. After the next command every byte that the other program wrote, and
// every byte that was there before, is in the place or in history.
#include <algorithm>
#include <fstream>

#include "built_paths.h"
#include "history/history.h"
#include "support/card_zoo.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using Files = std::map<std::string, Bytes>;

/// A command that changes a place, and the file in it that the other program is after.
struct Act {
  std::string name;
  std::vector<std::vector<std::string>> before;
  std::vector<std::string> command;
  std::string place;
  std::string target;     // in the place
  std::string untouched;  // a file beside it that the command leaves alone; may be empty
};

const std::vector<std::string> kCarry{"carry", "reader:Copper Tide", "--to",
                                      "den",   "--accept",           "newer-there"};
const std::vector<std::string> kCarryFolder{"carry", "desk:Halyard", "--to", "console"};
const std::string kFile = "saves/Copper Tide (America).srm";
const std::string kTitle = "save/00050000/10100a00/user/8000002a/";

std::vector<Act> acts() {
  const std::vector<std::string> desk{"bay", "learn", "desk", "cabinet/desk"};
  const std::vector<std::string> console{"bay", "learn", "console", "cabinet/console"};
  const std::vector<std::string> keep{"keep", "cabinet/console/" + kTitle};
  const std::string place = "cabinet/console";
  const std::string slot = kTitle + "slot0.bin";
  const std::string own = kTitle + "own.bin";
  return {
      {"a file carried", {}, kCarry, "den", kFile, ""},
      {"a carried file undone", {kCarry}, {"undo"}, "den", kFile, ""},
      {"a file restored",
       {{"keep", "den"}, kCarry},
       {"restore", "den:Copper Tide", "--at", "OLDEST"},
       "den",
       kFile,
       ""},
      {"a card changed",
       {},
       {"card", "drop", "den/cards/left.card", "BASLUS-00417TOWER"},
       "den",
       "cards/left.card",
       ""},
      {"a folder carried", {desk, console}, kCarryFolder, place, slot, own},
      {"a carried folder undone", {desk, console, kCarryFolder}, {"undo"}, place, slot, own},
      {"a folder restored",
       {desk, console, keep, kCarryFolder},
       {"restore", "cabinet/console/" + kTitle, "--at", "OLDEST"},
       place,
       slot,
       own},
  };
}

constexpr const char* kWays[] = {"change", "replace", "create", "rename",
                                 "delete", "meddle",  "beside"};

class Adversary : public test::Tool, public testing::WithParamInterface<std::size_t> {
 protected:
  void SetUp() override {
    test::Tool::SetUp();
    // Files that differ, files that are the same, files of one side only; one is large.
    const std::string desk = "cabinet/desk/wiiu/00050000/10100a00/user/80000001/";
    const std::string console = "cabinet/console/" + kTitle;
    const bool large = GetParam() >= 4;
    for (const std::string& folder : {desk, console})
      folder_.write(folder + "same.bin", test::random_bytes(3000, 5), 400);
    folder_.write(desk + "slot0.bin", test::random_bytes(5000, 1), 2);
    folder_.write(console + "slot0.bin", test::random_bytes(5000, 2), 300);
    folder_.write(console + "own.bin", test::random_bytes(700, 3), 300);
    folder_.write(console + "own2.bin", test::random_bytes(700, 13), 300);
    folder_.write(console + "deep/own.bin", test::random_bytes(700, 4), 300);
    if (large) {
      // Mostly alike, so that history has few pieces to write; too large to be held in memory.
      Bytes world(9U << 20U, std::byte{0x5A});
      test::put(world, 1000, test::random_bytes(3000, 6));
      folder_.write(desk + "world.bin", world, 2);
      folder_.write(console + "world.bin", test::random_bytes(200'000, 7), 300);
    }
  }

  // What the other program does. It copies what it is about to destroy.
  void write_script(const std::string& way, const Act& act, const std::string& text) {
    const std::string place = at(act.place);
    const std::string target = place + "/" + act.target;
    const std::string folder = Path(target).parent_path().string();
    const std::string beside = act.untouched.empty() ? target : place + "/" + act.untouched;
    std::ofstream script(folder_ / "script");
    script << "T='" << target << "'; B='" << beside << "'; D='" << at("destroyed") << "'\n"
           << "put() { head -c 5000 '" << at("text") << "'; }\n";
    if (way == "change") script << "cp \"$T\" $D 2>/dev/null; put > \"$T\"\n";
    if (way == "replace")
      script << "cp \"$T\" $D 2>/dev/null; put > \"$T.tmp\"; mv \"$T.tmp\" \"$T\"\n";
    if (way == "create") script << "put > '" << folder << "/new.bin'\n";
    if (way == "rename") script << "mv \"$T\" \"$T.mine\" 2>/dev/null\n";
    if (way == "delete") script << "cp \"$T\" $D 2>/dev/null; rm -f \"$T\"\n";
    if (way == "beside") script << "cp \"$B\" $D 2>/dev/null; put > \"$B\"\n";
    if (way == "meddle")
      script << "F=$(find '" << place << "' -path '*/.bayswap-*' -type f | sort | tail -n 1)\n"
             << "[ -n \"$F\" ] && cp \"$F\" $D && put > \"$F\"\n";
    std::ofstream(folder_ / "text") << text;
  }

  test::Outcome run_with(const std::vector<std::string>& words, const std::string& kind,
                         std::size_t at_call) {
    std::vector<std::string> all = words;
    all.insert(all.begin(), BAYSWAP_TOOL);
    return test::run_program(
        all, folder_.path(),
        {"XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1",
         "ASAN_OPTIONS=verify_asan_link_order=0:detect_leaks=0", "LD_PRELOAD=" BAYSWAP_FAULTS,
         "BAYSWAP_FAULT_KIND=" + kind, "BAYSWAP_FAULT_AT=" + std::to_string(at_call),
         "BAYSWAP_FAULT_SCRIPT=" + at("script"), "BAYSWAP_FAULT_COUNT=" + at("count")});
  }

  void save_as(const std::string& place, const std::string& name) {
    std::filesystem::create_directories(folder_ / place);
    ASSERT_EQ(
        std::system(
            ("rm -rf '" + at(name) + "' && cp -a '" + at(place) + "' '" + at(name) + "'").c_str()),
        0);
  }

  // The bytes that are neither in the place nor in history.
  std::vector<std::string> lost(const std::string& place, const Files& wanted) {
    std::set<Bytes> there;
    for (auto& [name, bytes] : test::contents(folder_ / place)) there.insert(bytes);
    const auto history = History::open_to_read(disk(), folder_ / "xdg/data/bayswap/history.db");
    EXPECT_TRUE(history);
    std::vector<std::string> missing;
    for (const auto& [name, bytes] : wanted) {
      if (there.contains(bytes)) continue;
      const auto kept =
          history && *history ? (*history)->content(version_digest(bytes)) : Result<Bytes>(Bytes{});
      if (!kept || *kept != bytes) missing.push_back(name);
    }
    return missing;
  }
};

TEST_P(Adversary, NothingIsLost) {
  Act act = acts()[GetParam()];
  for (const auto& command : act.before) {
    const test::Outcome done = run(command);
    ASSERT_EQ(done.status, 0) << act.name << done.out << done.err;
  }
  for (std::string& word : act.command)
    if (word == "OLDEST")
      word = object({"history", act.command[1]})["saves"][0]["versions"][0]["version"];
  save_as(act.place, "old-place");
  save_as("xdg/data", "old-data");
  const Files old = test::contents(folder_ / act.place);
  ASSERT_TRUE(old.contains(act.target)) << act.target;
  write_script("nothing", act, "");
  const test::Outcome plain = run_with(act.command, "none", 0);
  ASSERT_EQ(plain.status, 0) << act.name << plain.out << plain.err;
  std::size_t operations = 0;
  std::ifstream(folder_ / "count") >> operations;
  ASSERT_GT(operations, 10U);
  // Every build tries a few of each (support/rounds.h).
  const auto tries = static_cast<std::size_t>(test::rounds(3));
  const std::size_t stride = std::max<std::size_t>(1, operations / tries);
  std::size_t runs = 0;
  std::size_t bytes = 0;
  std::size_t start = GetParam();
  std::size_t ways = 0;
  for (const std::string way : kWays)
    for (const std::string kind : {"others", "others-kill"}) {
      if (way == "beside" && act.untouched.empty()) continue;
      // One of the two for each way, in turn, unless there is time.
      if (kind == "others") ++ways;
      const bool in_turn = (kind == "others") == ((ways + GetParam()) % 2 == 0);
      if (!test::long_run() && std::getenv("BAYSWAP_ROUNDS") == nullptr && !in_turn) continue;
      for (std::size_t call = 1 + start++ % stride; call <= operations; call += stride) {
        SCOPED_TRACE(act.name + ", " + way + " before call " + std::to_string(call) + ", " + kind);
        save_as("old-place", act.place);
        save_as("old-data", "xdg/data");
        std::filesystem::remove(folder_ / "destroyed");
        std::string text = "played by another program, run " + std::to_string(++runs) + ". ";
        while (text.size() < 5000) text += text;
        write_script(way, act, text);
        const test::Outcome outcome = run_with(act.command, kind, call);
        EXPECT_NE(outcome.status, 3) << outcome.out << outcome.err;
        const test::Outcome next = run({"history"});
        ASSERT_EQ(next.status, 0) << next.out << next.err;
        Files wanted = old;
        const Bytes destroyed = test::read(folder_ / "destroyed");
        std::erase_if(wanted, [&](const auto& file) { return file.second == destroyed; });
        const std::string_view written = std::string_view(text).substr(0, 5000);
        const bool wrote =
            way != "rename" && way != "delete" && (way != "meddle" || !destroyed.empty());
        if (wrote) {
          const auto view = std::as_bytes(std::span(written));
          wanted["what the other program wrote"] = Bytes(view.begin(), view.end());
        }
        for (const std::string& name : lost(act.place, wanted))
          ADD_FAILURE() << "lost: " << name << "\n"
                        << outcome.status << outcome.out << outcome.err << next.err;
        bytes += wanted.size();
        EXPECT_EQ(run({"history", "verify"}).status, 0);
        // Nothing stays unfinished.
        EXPECT_EQ(next.err, "");
        if (HasFailure()) return;
      }
    }
  std::printf("%s: %zu runs, %zu contents looked for, at %zu operations\n", act.name.c_str(), runs,
              bytes, operations);
}

INSTANTIATE_TEST_SUITE_P(Each, Adversary, testing::Range<std::size_t>(0, 7));

}  // namespace
}  // namespace bayswap
