// `sync`, `hub` and `watch` as people run them, on two devices of the demo world.
#include <csignal>
#include <set>
#include <thread>

#include "demo/world.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::Outcome;
using test::read;

class SyncTool : public test::WorldTest {
 protected:
  Outcome on(const std::string& device, std::vector<std::string> words) {
    words.insert(words.begin(), BAYSWAP_TOOL);
    return test::run_program(words, folder_.path(), environment(device));
  }
  std::vector<std::string> environment(const std::string& device) {
    return {"XDG_CONFIG_HOME=" + at(device + "-xdg/config"),
            "XDG_DATA_HOME=" + at(device + "-xdg/data"), "HOME=" + at(device + "-home"),
            "NO_COLOR=1"};
  }
  json object(const std::string& device, std::vector<std::string> words, int status = 0) {
    words.emplace_back("--json");
    const Outcome outcome = on(device, words);
    EXPECT_EQ(outcome.status, status) << outcome.out << outcome.err;
    json parsed = json::parse(outcome.out, nullptr, false);
    EXPECT_FALSE(parsed.is_discarded()) << outcome.out;
    return parsed;
  }
  static std::vector<std::string> titles(const json& items) {
    std::vector<std::string> titles;
    for (const json& item : items)
      titles.push_back(item.contains("save") ? item["save"] : item["game"]["title"]);
    return titles;
  }
  void SetUp() override {
    test::WorldTest::SetUp();
    std::filesystem::create_directory(folder_ / "stick");
    for (const std::string device : {"den", "ferry", "attic"}) begin(device, device);
  }
  // A device with one bay, and the catalog of the demo world.
  void begin(const std::string& device, const std::string& place) {
    std::filesystem::create_directories(folder_ / (device + "-xdg/config/bayswap"));
    std::filesystem::copy(folder_ / "own/config/catalog.toml",
                          folder_ / (device + "-xdg/config/bayswap/catalog.toml"));
    ASSERT_EQ(on(device, {"bay", "learn", device, place}).status, 0);
    ASSERT_EQ(on(device, {"hub", "join", "stick", "--as", device}).status, 0);
  }
  const std::string orchard_ = "ferry/gb/Tin Orchard (Europe).sav";
};

// Two machines of one name, as fresh ones are: whose progress is whose has to be clear.
TEST_F(SyncTool, DevicesWithOneNameAreToldApart) {
  std::set<std::string> names;
  for (const std::string device : {"den", "ferry", "attic"}) {
    ASSERT_EQ(on(device, {"hub", "leave"}).status, 0);
    names.insert(object(device, {"hub", "join", "stick"})["hub"]["device"]);
    on(device, {"sync"});
  }
  EXPECT_EQ(names.size(), 3U);
}

TEST_F(SyncTool, NamesSavesAsPeopleKnowThem) {
  const Outcome outcome = on("den", {"sync", "--plan"});
  EXPECT_NE(outcome.out.find("↑ Paper Observatory / Tower (BASLUS-00417TOWER)  would be sent"),
            std::string::npos)
      << outcome.out;
}

TEST_F(SyncTool, CarriesWhatIsNewerInTheLayoutOfThePlace) {
  EXPECT_EQ(object("den", {"sync"})["published"].size(), 11U);
  ASSERT_TRUE(demo::play_trip(folder_ / orchard_));
  object("ferry", {"sync"}, 1);  // they never met: both have progress of their own
  object("ferry", {"sync", "--take", "Tin Orchard", "--from", "ferry"});
  const json planned = object("den", {"sync", "--plan"});
  EXPECT_EQ(titles(planned["carried"]), std::vector<std::string>{"Tin Orchard"});
  EXPECT_TRUE(planned["plan"]);
  const json done = object("den", {"sync"});
  EXPECT_EQ(titles(done["carried"]), std::vector<std::string>{"Tin Orchard"});
  EXPECT_EQ(done["in_step"], 11);
  // 44 bytes of clock on the ferry, 48 in the den; the chip is the same.
  const Bytes there = read(folder_ / "den/saves/Tin Orchard (Europe).srm");
  const Bytes here = read(folder_ / orchard_);
  EXPECT_EQ(there.size(), here.size() + 4);
  EXPECT_TRUE(std::ranges::equal(ByteView(there).first(0x2000), ByteView(here).first(0x2000)));
  EXPECT_EQ(on("den", {"undo"}).status, 0);
}

TEST_F(SyncTool, SaysConflictsAndHeldSavesAndEndsWithOne) {
  object("den", {"sync"});
  object("ferry", {"sync"}, 1);
  const json conflict = object("attic", {"sync"}, 1);
  EXPECT_EQ(titles(conflict["conflicts"]), std::vector<std::string>{"BASLUS-20731CONFIG"});
  EXPECT_EQ(conflict["conflicts"][0]["versions"].size(), 2U);
  EXPECT_EQ(object("attic", {"sync", "--take", "BASLUS-20731CONFIG"}, 1)["error"]["code"],
            "many-match");
  EXPECT_EQ(
      titles(object("attic", {"sync", "--take", "BASLUS-20731CONFIG", "--from", "den"})["settled"]),
      std::vector<std::string>{"BASLUS-20731CONFIG"});
  ASSERT_TRUE(demo::empty_battery(folder_ / orchard_));
  const json held = object("ferry", {"sync"}, 1)["held"];
  ASSERT_EQ(held.size(), 1U);
  EXPECT_EQ(held[0]["reason"]["code"], "blank-source");
  const Outcome words = on("ferry", {"sync"});
  EXPECT_NE(words.out.find("held back in ferry"), std::string::npos) << words.out;
}

TEST_F(SyncTool, AHubThatIsNotThereOrDamagedIsSaid) {
  object("den", {"sync"});
  std::filesystem::rename(folder_ / "stick", folder_ / "elsewhere");
  EXPECT_EQ(object("den", {"sync"}, 4)["error"]["code"], "hub-failed");
  std::filesystem::create_directory(folder_ / "stick");
  EXPECT_EQ(object("den", {"sync"}, 4)["error"]["code"], "hub-differs");
  std::filesystem::remove(folder_ / "stick");
  std::filesystem::rename(folder_ / "elsewhere", folder_ / "stick");
  EXPECT_EQ(object("attic", {"hub", "show"})["hub"]["saves"], 11);
  for (const auto& entry : std::filesystem::directory_iterator(folder_ / "stick/journal"))
    folder_.write("stick/journal/" + entry.path().filename().string(), std::string("no journal"));
  ASSERT_TRUE(demo::play_trip(folder_ / orchard_));
  const json damaged = object("ferry", {"sync"}, 3);
  EXPECT_EQ(damaged["notes"][0]["code"], "hub-damaged");
  // The device that wrote it mends it, and the others read on.
  EXPECT_EQ(object("den", {"hub", "check"})["mended"].size(), 1U);
  EXPECT_EQ(object("den", {"hub", "check"})["mended"].size(), 0U);
  EXPECT_EQ(titles(object("ferry", {"sync"}, 1)["conflicts"]),
            std::vector<std::string>{"Tin Orchard"});
  EXPECT_EQ(object("den", {"hub", "leave"})["left"], at("stick"));
  EXPECT_EQ(object("den", {"hub", "show"}, 1)["error"]["code"], "no-match");
}

// Several saves of one card in one sync: the card that was written for the first is no card that
// somebody else changed.
TEST_F(SyncTool, SavesOfOneCardGoTogether) {
  std::filesystem::copy(folder_ / "den", folder_ / "lodge",
                        std::filesystem::copy_options::recursive);
  begin("lodge", "lodge");
  object("den", {"sync"});
  EXPECT_EQ(object("lodge", {"sync"})["in_step"], 11);
  const std::string card = "den/cards/left.card";
  Bytes bytes = read(folder_ / card);
  for (std::size_t block = 1; block < 16; ++block) bytes[block * 8192 + 0x1800] ^= std::byte{0x55};
  folder_.write(card, bytes, 3);
  EXPECT_EQ(object("den", {"sync"})["published"].size(), 4U);
  const json carried = object("lodge", {"sync"});
  EXPECT_EQ(carried["carried"].size(), 4U) << carried;
  EXPECT_EQ(object("lodge", {"sync"})["in_step"], 11);
  EXPECT_EQ(on("lodge", {"undo"}).status, 0);
}

TEST_F(SyncTool, VersionsOnTheHubAreListedRestoredAndExported) {
  object("den", {"sync"});
  const std::string save = "den/saves/Tin Orchard (Europe).srm";
  const Bytes first = read(folder_ / save);
  ASSERT_TRUE(demo::play_trip(folder_ / save));
  const Bytes second = read(folder_ / save);
  object("den", {"sync"});
  const json saves = object("den", {"history", "Tin Orchard", "--hub"})["saves"];
  ASSERT_EQ(saves.size(), 1U);
  ASSERT_EQ(saves[0]["versions"].size(), 2U);
  const std::string old = saves[0]["versions"][0]["version"];
  ASSERT_EQ(on("den", {"restore", "Tin Orchard", "--at", old, "--plan"}).status, 0);
  EXPECT_EQ(read(folder_ / save), second);
  const Outcome restored = on("den", {"restore", "Tin Orchard", "--at", old});
  EXPECT_EQ(restored.status, 0) << restored.out << restored.err;
  EXPECT_TRUE(std::ranges::equal(ByteView(read(folder_ / save)).first(0x2000),
                                 ByteView(first).first(0x2000)));
  EXPECT_EQ(object("den", {"sync"})["in_step"], 11);
  EXPECT_EQ(object("den", {"history", "nothing", "--hub"}, 1)["error"]["code"], "no-match");
  const json files = object("den", {"history", "export", "Tin Orchard", "--hub", "-o", "old"});
  EXPECT_EQ(files["outputs"].size(), 6U) << files;  // three versions of a chip and a clock
  std::set<Bytes> chips;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / "old"))
    if (entry.path().filename() == "sram") chips.insert(read(entry.path()));
  EXPECT_EQ(chips.size(), 2U);
  EXPECT_TRUE(chips.contains(Bytes(second.begin(), second.begin() + 0x2000)));
}

// Titles' folders and packages: each device has its own ids of accounts and its own tree.
TEST_F(SyncTool, TitlesGoFromTreeToTree) {
  begin("desk", "cabinet/desk");
  begin("console", "cabinet/console");
  EXPECT_EQ(object("desk", {"sync"})["published"].size(), 7U);
  const json met = object("console", {"sync"}, 1)["conflicts"];
  EXPECT_EQ(met.size(), 5U);
  for (const std::string& title : titles(met)) {
    const Outcome taken = on("console", {"sync", "--take", title, "--from", "desk"});
    EXPECT_NE(taken.out.find("settled"), std::string::npos) << title << taken.out << taken.err;
  }
  EXPECT_EQ(object("console", {"sync"})["in_step"], 7);
  const json desk = object("desk", {"sync"});
  EXPECT_TRUE(desk["carried"].empty()) << desk;
  EXPECT_EQ(desk["in_step"], 7);
  EXPECT_EQ(read(folder_ / "cabinet/console/PSP/SAVEDATA/ULES10099CUP/PARAM.SFO"),
            read(folder_ / "cabinet/desk/psp/ULES10099CUP/PARAM.SFO"));
  // A save of a game that is not there comes when it is asked for; and goes on from there.
  const json brought = object("console", {"sync", "--bring", "FREIGHT01"});
  EXPECT_EQ(titles(brought["carried"]), std::vector<std::string>{"FREIGHT01"});
  EXPECT_EQ(object("console", {"sync"})["in_step"], 8);
  // The other way round.
  const Outcome back = on("desk", {"sync", "--bring", "RQCE"});
  EXPECT_EQ(back.status, 0) << back.out << back.err;
}

// A slot goes to the same program alone, and each is a thing of its own.
TEST_F(SyncTool, StatesGoToTheirProgramAlone) {
  for (const std::string device : {"wharf", "pier", "shed"}) begin(device, device);
  EXPECT_EQ(object("wharf", {"sync"})["published"].size(), 4U);
  EXPECT_TRUE(object("wharf", {"sync", "--no-states"})["published"].empty());
  // The pier has the same program, and one slot of its own in common; the shed has another.
  const json pier = object("pier", {"sync"}, 1);
  EXPECT_EQ(pier["conflicts"].size(), 1U);
  EXPECT_EQ(pier["carried"].size(), 3U) << pier;
  const std::string game = "Dune Semaphore (1982) (Quay Works)";
  for (const std::string slot : {"0", "2", "5"})
    EXPECT_EQ(read(folder_ / ("pier/slots/DUNE SEMAPHORE/slot 0" + slot)),
              read(folder_ / ("wharf/states/" + game + ".st" + slot)))
        << slot;
  const json shed = object("shed", {"sync"});
  EXPECT_TRUE(shed["conflicts"].empty() && shed["carried"].empty()) << shed;
}

TEST_F(SyncTool, WatchesUntilItIsToldToEnd) {
  object("den", {"sync"});
  object("ferry", {"sync"}, 1);
  object("ferry", {"sync", "--take", "Tin Orchard", "--from", "ferry"});
  const pid_t child = ::fork();
  if (child == 0) {
    for (const std::string& pair : environment("den"))
      ::setenv(pair.substr(0, pair.find('=')).c_str(), pair.substr(pair.find('=') + 1).c_str(), 1);
    if (::freopen((folder_ / "watch.log").c_str(), "w", stdout) == nullptr ||
        ::chdir(folder_.path().c_str()) != 0)
      ::_exit(126);
    ::execl(BAYSWAP_TOOL, BAYSWAP_TOOL, "watch", "--quiet", "0", "--json", nullptr);
    ::_exit(127);
  }
  const auto has = [&](const std::string& event) {
    return test::text_of(folder_ / "watch.log").find(event) != std::string::npos;
  };
  // The machine may be slow: it is waited for as long as it takes.
  const auto wait_for = [&](const auto& condition) {
    for (int i = 0; i < 600 && !condition(); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    return condition();
  };
  EXPECT_TRUE(wait_for([&] { return has("\"synced\""); }));
  const Bytes trip = read(folder_ / orchard_);
  EXPECT_TRUE(wait_for([&] {
    const Bytes there = read(folder_ / "den/saves/Tin Orchard (Europe).srm");
    return there.size() > 0x2000 &&
           std::ranges::equal(ByteView(there).first(0x2000), ByteView(trip).first(0x2000));
  }));
  ::kill(child, SIGTERM);
  int status = 0;
  ::waitpid(child, &status, 0);
  EXPECT_TRUE(WIFEXITED(status) && WEXITSTATUS(status) == 0);
  EXPECT_TRUE(has("\"ended\""));
}

TEST_F(SyncTool, SealsAHubWithWords) {
  for (const std::string device : {"den", "ferry"})
    ASSERT_EQ(on(device, {"hub", "leave"}).status, 0);
  std::filesystem::create_directory(folder_ / "sealed");
  const json made = object("den", {"hub", "join", "sealed", "--as", "den", "--seal"}).at("hub");
  EXPECT_TRUE(made["sealed"]);
  EXPECT_EQ(made["unsent"].size(), 11U);
  object("den", {"sync"});
  EXPECT_FALSE(object("den", {"hub", "show"}).at("hub").contains("words")) << "they are shown once";
  std::vector<std::string> words{BAYSWAP_TOOL, "hub", "join", "sealed", "--as", "ferry"};
  auto surroundings = environment("ferry");
  surroundings.emplace_back("BAYSWAP_HUB_WORDS=acorn acorn");
  const Outcome wrong = test::run_program(words, folder_.path(), surroundings);
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.err.find("has 17 words, not 2"), std::string::npos) << wrong.err;
  surroundings.back() = "BAYSWAP_HUB_WORDS=" + made["words"].get<std::string>();
  const Outcome joined = test::run_program(words, folder_.path(), surroundings);
  EXPECT_EQ(joined.status, 0) << joined.err;
  EXPECT_EQ(object("ferry", {"hub", "show"}).at("hub").at("versions"), 11);
}

}  // namespace
}  // namespace bayswap
