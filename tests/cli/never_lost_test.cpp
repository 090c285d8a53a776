// Faults that once destroyed progress or blocked other work, each as a user would meet it.
#include <grp.h>
#include <sys/stat.h>
#include <sys/xattr.h>

#include <fstream>
#include <thread>

#include "bayswap/card_file.h"
#include "built_paths.h"
#include "history/history.h"
#include "support/card_zoo.h"
#include "support/tool.h"

namespace bayswap {
namespace {

const std::string kDesk = "cabinet/desk/wiiu/00050000/10100a00/user/80000001/";
const std::string kConsole = "cabinet/console/save/00050000/10100a00/user/8000002a/";
const std::string kSave = "den/saves/Copper Tide (America).srm";

class NeverLost : public test::Tool {
 protected:
  void learn_titles() {
    ASSERT_EQ(run({"bay", "learn", "desk", "cabinet/desk"}).status, 0);
    ASSERT_EQ(run({"bay", "learn", "console", "cabinet/console"}).status, 0);
  }
  test::Outcome carry_title(std::vector<std::string> more = {}) {
    std::vector<std::string> words{"carry", "desk:Halyard", "--to", "console"};
    words.insert(words.end(), more.begin(), more.end());
    return run(words);
  }
  test::Outcome carry_file(std::vector<std::string> more = {}) {
    std::vector<std::string> words{"carry", "reader:Copper Tide", "--to",
                                   "den",   "--accept",           "newer-there"};
    words.insert(words.end(), more.begin(), more.end());
    return run(words);
  }
  // The tool, killed right before its n-th changing system call.
  test::Outcome run_killed(std::vector<std::string> words, std::size_t at_call) {
    words.insert(words.begin(), BAYSWAP_TOOL);
    return test::run_program(
        words, folder_.path(),
        {"XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1",
         "ASAN_OPTIONS=verify_asan_link_order=0:detect_leaks=0", "LD_PRELOAD=" BAYSWAP_FAULTS,
         "BAYSWAP_FAULT_KIND=kill", "BAYSWAP_FAULT_AT=" + std::to_string(at_call),
         "BAYSWAP_FAULT_COUNT=" + at("count")});
  }
  [[nodiscard]] bool in_history(const Bytes& bytes) const {
    const auto history = History::open_to_read(disk(), folder_ / "xdg/data/bayswap/history.db");
    return history && *history && (*history)->size_of(version_digest(bytes)).has_value();
  }
  [[nodiscard]] static unsigned mode_of(const Path& path) {
    struct stat status {};
    EXPECT_EQ(::lstat(path.c_str(), &status), 0) << path;
    return status.st_mode & 07777U;
  }
  // As a user to whom modes mean something; nothing where the test is run by such a user itself.
  test::Outcome run_as_nobody(const std::vector<std::string>& words) {
    if (::geteuid() != 0) return run(words);
    std::vector<std::string> all{"setpriv", "--reuid=65534", "--regid=65534", "--clear-groups",
                                 BAYSWAP_TOOL};
    all.insert(all.end(), words.begin(), words.end());
    ::chmod(folder_.path().c_str(), 0755);
    return test::run_program(
        all, folder_.path(),
        {"XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1",
         "ASAN_OPTIONS=detect_leaks=0"});
  }
  void give_to_nobody(const std::string& what) {
    if (::geteuid() != 0) return;
    ASSERT_EQ(std::system(("chown -R 65534:65534 '" + at(what) + "'").c_str()), 0);
  }
};

// 1
TEST_F(NeverLost, ATitleFolderThatLeadsOutOfTheBayIsNotFollowed) {
  learn_titles();
  const Path title = folder_ / "cabinet/console/PSP/SAVEDATA/ULES10099CUP";
  const std::vector<std::string> carry{"carry", "desk:ULES10099CUP", "--to", "console"};
  std::filesystem::rename(title, folder_ / "elsewhere");
  std::filesystem::create_directory_symlink(folder_ / "elsewhere", title);
  const auto outside = test::snapshot(folder_ / "elsewhere");
  const test::Outcome outcome = run(carry);
  EXPECT_EQ(outcome.status, 1) << outcome.out << outcome.err;
  EXPECT_NE((outcome.out + outcome.err).find("link"), std::string::npos);
  EXPECT_EQ(test::snapshot(folder_ / "elsewhere"), outside);
  EXPECT_TRUE(std::filesystem::is_symlink(title));
  EXPECT_EQ(run({"history"}).status, 0);
  // One that stays in the bay is the folder behind it.
  std::filesystem::remove(title);
  std::filesystem::rename(folder_ / "elsewhere", folder_ / "cabinet/console/kept");
  std::filesystem::create_directory_symlink(folder_ / "cabinet/console/kept", title);
  const test::Outcome inside = run(carry);
  EXPECT_EQ(inside.status, 0) << inside.out << inside.err;
  EXPECT_TRUE(std::filesystem::is_symlink(title));
  EXPECT_EQ(test::contents(folder_ / "cabinet/console/kept"),
            test::contents(folder_ / "cabinet/desk/psp/ULES10099CUP"));
}

// 2: killed at any moment; then the game is played, and only then does Bay Swap run again.
TEST_F(NeverLost, WhatIsPlayedAfterAKillStays) {
  learn_titles();
  folder_.write(kConsole + "own.bin", test::random_bytes(500, 8), 900);
  ASSERT_EQ(std::system(("cp -a '" + at("cabinet") + "' '" + at("cabinet-0") + "' && cp -a '" +
                         at("xdg") + "' '" + at("xdg-0") + "'")
                            .c_str()),
            0);
  const auto old = test::contents(folder_ / kConsole);
  ASSERT_EQ(run_killed({"carry", "desk:Halyard", "--to", "console"}, 100'000).status, 0);
  std::size_t calls = 0;
  std::ifstream(folder_ / "count") >> calls;
  ASSERT_GT(calls, 20U);
  const std::size_t stride =
      std::max<std::size_t>(1, calls / static_cast<std::size_t>(test::rounds(25)));
  for (std::size_t call = 1; call <= calls; call += stride) {
    SCOPED_TRACE("killed before call " + std::to_string(call));
    ASSERT_EQ(std::system(("cd '" + folder_.path().string() +
                           "' && rm -rf cabinet xdg && cp -a cabinet-0 cabinet && cp -a xdg-0 xdg")
                              .c_str()),
              0);
    (void)run_killed({"carry", "desk:Halyard", "--to", "console"}, call);
    const Bytes played = test::random_bytes(900, static_cast<std::uint32_t>(call) + 100);
    const auto there = test::contents(folder_ / kConsole);
    if (there.empty()) continue;
    const std::string name = kConsole + there.begin()->first;
    folder_.write(name, played);
    folder_.write(kConsole + "fresh.bin", played);
    const test::Outcome next = run({"history"});
    EXPECT_EQ(next.status, 0) << next.err;
    EXPECT_EQ(next.err, "");
    EXPECT_EQ(test::read(folder_ / name), played);
    EXPECT_EQ(test::read(folder_ / (kConsole + "fresh.bin")), played);
    std::set<Bytes> now;
    for (const auto& [file, bytes] : test::contents(folder_ / kConsole)) now.insert(bytes);
    for (const auto& [file, bytes] : old) {
      const bool overwritten = kConsole + file == name && there.begin()->second == bytes;
      EXPECT_TRUE(overwritten || now.contains(bytes) || in_history(bytes)) << "lost: " << file;
    }
  }
}

// 6
TEST_F(NeverLost, AFolderThatCannotBeListedIsNotEmpty) {
  learn_titles();
  const Path shut = folder_ / (kConsole + "deep");
  folder_.write(kConsole + "deep/own.bin", test::random_bytes(700, 4), 300);
  give_to_nobody("cabinet");
  give_to_nobody("xdg");
  std::filesystem::permissions(shut, std::filesystem::perms::none);
  const test::Outcome stopped =
      run_as_nobody({"carry", "desk:Halyard", "--to", "console", "--whole"});
  EXPECT_NE(stopped.status, 0) << stopped.out;
  EXPECT_NE((stopped.out + stopped.err).find("deep"), std::string::npos) << stopped.out;
  const test::Outcome looked = run_as_nobody({"look", kConsole});
  EXPECT_EQ(looked.status, 3) << looked.out << looked.err;
  EXPECT_NE((looked.out + looked.err).find("deep"), std::string::npos);
  std::filesystem::permissions(shut, std::filesystem::perms::owner_all);
  EXPECT_EQ(test::read(shut / "own.bin"), test::random_bytes(700, 4));
  // The same on the other side: the rest is not carried as everything.
  folder_.write(kDesk + "shut/more.bin", test::random_bytes(100, 5), 1);
  give_to_nobody("cabinet");
  std::filesystem::permissions(folder_ / (kDesk + "shut"), std::filesystem::perms::none);
  const test::Outcome source = run_as_nobody({"carry", "desk:Halyard", "--to", "console"});
  EXPECT_NE(source.status, 0) << source.out;
  const test::Outcome all = run_as_nobody({"carry", "--all", "--from", "desk", "--to", "console"});
  EXPECT_NE(all.status, 0) << "what can't be read is named";
  EXPECT_NE((all.out + all.err).find("shut"), std::string::npos) << all.out;
  std::filesystem::permissions(folder_ / (kDesk + "shut"), std::filesystem::perms::owner_all);
}

TEST_F(NeverLost, DeepFoldersAreCarriedWhole) {
  learn_titles();
  std::string deep;
  for (int i = 0; i < 90; ++i) deep += "d/";
  folder_.write(kDesk + deep + "below.bin", test::random_bytes(300, 9), 1);
  folder_.write(kConsole + deep + "own.bin", test::random_bytes(300, 10), 300);
  const auto before = test::snapshot(folder_ / "cabinet/console");
  EXPECT_EQ(carry_title().status, 0);
  EXPECT_EQ(test::read(folder_ / (kConsole + deep + "below.bin")), test::random_bytes(300, 9));
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::snapshot(folder_ / "cabinet/console"), before);
}

// 8
TEST_F(NeverLost, AMoveOnACardThatWasTakenOutWaitsForIt) {
  learn_titles();
  const auto old = test::contents(folder_ / kConsole);
  const Path place = folder_ / "cabinet/console";
  const Path away = folder_ / "taken out";
  std::size_t waited = 0;
  for (std::size_t call = 5; call < 200; call += 6) {
    SCOPED_TRACE("killed before call " + std::to_string(call));
    if (run_killed({"carry", "desk:Halyard", "--to", "console"}, call).status == 0) break;
    // The card goes out, and its mount point stays.
    std::filesystem::rename(place, away);
    std::filesystem::create_directories(place);
    const test::Outcome meanwhile = run({"history"});
    EXPECT_EQ(meanwhile.status, 0) << meanwhile.err;
    waited += meanwhile.err.find("waits") != std::string::npos ? 1 : 0;
    EXPECT_EQ(carry_file().status, 0) << "other bays go on working";
    EXPECT_TRUE(std::filesystem::is_empty(place));
    EXPECT_EQ(run({"undo"}).status, 0);
    std::filesystem::remove(place);
    std::filesystem::rename(away, place);
    const test::Outcome back = run({"history"});
    EXPECT_EQ(back.status, 0);
    EXPECT_EQ(back.err, "") << "settled now";
    if (test::contents(folder_ / kConsole) != old) {
      EXPECT_EQ(run({"undo"}).status, 0);
    }
    EXPECT_EQ(test::contents(folder_ / kConsole), old);
  }
  EXPECT_GT(waited, 0U);
}

// 10
TEST_F(NeverLost, APartOfASaveMergesAndThePlanSaysSo) {
  learn_titles();
  folder_.write(kConsole + "own1.bin", test::random_bytes(10, 1), 900);
  folder_.write(kConsole + "own2.bin", test::random_bytes(10, 2), 900);
  folder_.write(kConsole + "own3.bin", test::random_bytes(10, 3), 900);
  const auto before = test::snapshot(folder_ / "cabinet/console");
  const test::json plan = object({"carry", "desk:Halyard", "--to", "console", "--plan"});
  const test::json files = plan["moves"][0]["files"];
  EXPECT_GE(files["stay"].size(), 3U) << files;
  EXPECT_EQ(files["going"].size(), 0U);
  const test::Outcome text = carry_title({"--plan"});
  EXPECT_NE(text.out.find("there that this save does not have stay"), std::string::npos)
      << text.out;
  EXPECT_EQ(carry_title().status, 0);
  EXPECT_EQ(test::read(folder_ / (kConsole + "own2.bin")), test::random_bytes(10, 2));
  for (const auto& [name, bytes] : test::contents(folder_ / kDesk))
    EXPECT_EQ(test::read(folder_ / (kConsole + name)), bytes) << name;
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::snapshot(folder_ / "cabinet/console"), before);
  const test::Outcome whole = carry_title({"--whole", "--plan"});
  EXPECT_NE(whole.out.find("go (kept in history)"), std::string::npos) << whole.out;
  EXPECT_EQ(carry_title({"--whole"}).status, 0);
  EXPECT_EQ(test::contents(folder_ / kConsole), test::contents(folder_ / kDesk));
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::snapshot(folder_ / "cabinet/console"), before);
}

// 11
TEST_F(NeverLost, ModesOwnersAndAttributesStay) {
  const Path save = folder_ / kSave;
  std::filesystem::permissions(save, std::filesystem::perms(0600));
  const bool attributes = ::setxattr(save.c_str(), "user.note", "mine", 4, 0) == 0;
  if (::geteuid() == 0) {
    ASSERT_EQ(::chown(save.c_str(), 1234, 1235), 0);
  }
  ASSERT_EQ(carry_file().status, 0);
  EXPECT_EQ(mode_of(save), 0600U);
  if (attributes) {
    char value[8]{};
    EXPECT_EQ(::getxattr(save.c_str(), "user.note", value, sizeof value), 4);
  }
  if (::geteuid() == 0) {
    struct stat status {};
    ::stat(save.c_str(), &status);
    EXPECT_EQ(status.st_uid, 1234U);
    EXPECT_EQ(status.st_gid, 1235U);
  }
  // What is protected is replaced only when the user says so.
  std::filesystem::permissions(save, std::filesystem::perms(0444));
  ASSERT_EQ(run({"undo"}).status, 0);
  std::filesystem::permissions(save, std::filesystem::perms(0444));
  const test::Outcome stopped = carry_file();
  EXPECT_EQ(stopped.status, 1);
  EXPECT_NE(stopped.out.find("--accept read-only"), std::string::npos) << stopped.out;
  EXPECT_EQ(carry_file({"--accept", "read-only"}).status, 0);
  EXPECT_EQ(mode_of(save), 0444U);
  // A folder's special bits, and a new file's mode by the user's mask.
  learn_titles();
  const Path title = folder_ / kConsole.substr(0, kConsole.size() - 1);
  std::filesystem::permissions(title, std::filesystem::perms(02750));
  folder_.write(kDesk + "new.bin", Bytes(3), 1);
  const mode_t mask = ::umask(077);
  const int status = carry_title().status;
  ::umask(mask);
  ASSERT_EQ(status, 0);
  EXPECT_EQ(mode_of(title), 02750U);
  EXPECT_EQ(mode_of(title / "new.bin"), 0600U);
  // What Bay Swap keeps is for its user only.
  EXPECT_EQ(mode_of(folder_ / "xdg/data/bayswap"), 0700U);
  for (const auto& entry : std::filesystem::directory_iterator(folder_ / "xdg/data/bayswap"))
    EXPECT_EQ(mode_of(entry.path()), 0600U) << entry.path();
  EXPECT_EQ(mode_of(folder_ / "xdg/config/bayswap/bays.toml"), 0600U);
}

TEST_F(NeverLost, ASecondNameIsToldOf) {
  std::filesystem::create_hard_link(folder_ / kSave, folder_ / "second name");
  const Bytes old = test::read(folder_ / kSave);
  const test::Outcome plan = carry_file({"--plan"});
  EXPECT_NE(plan.out.find("2 names"), std::string::npos) << plan.out;
  ASSERT_EQ(carry_file().status, 0);
  EXPECT_EQ(test::read(folder_ / "second name"), old);
}

// 12
TEST_F(NeverLost, NamesThatBecomeTheSameGetNumbers) {
  // Names that differ only in what a file system would not take.
  const std::vector<test::InnerFile> files{
      {"slot.", test::random_bytes(100, 1), 0xFFFF, false, true},
      {"slot_", test::random_bytes(100, 2), 0xFFFF, false, true},
      {"SLOT_", test::random_bytes(100, 3), 0xFFFF, false, true}};
  folder_.write("box", test::PackageGolden({}, files).bytes);
  const test::json taken = object({"card", "take", "box", "-o", "out"});
  std::set<Bytes> contents;
  for (const test::json& output : taken["outputs"])
    contents.insert(test::read(folder_.path() / output["path"].get<std::string>()));
  EXPECT_EQ(contents.size(), 3U) << taken;
  // The same in a folder of one save's files.
  Save save;
  save.system = System::ps2;
  save.kind = Kind::card_save;
  save.name = "BESLES-10000S";
  save.parts.push_back({"icon.sys", test::icon_sys("Save", ""), false, {}});
  save.parts.push_back({"slot.", test::random_bytes(100, 1), false, {}});
  save.parts.push_back({"slot_", test::random_bytes(100, 2), false, {}});
  CardChange change;
  change.put.push_back(save);
  const auto card = test::card_layout("ps2-card").change(test::small_card("ps2-card"), change);
  ASSERT_TRUE(card) << card.error().text;
  folder_.write("two.card", card->bytes);
  ASSERT_EQ(run({"card", "take", "two.card", "--as", "ps2-folder", "-o", "folders"}).status, 0);
  EXPECT_EQ(test::contents(folder_ / "folders").size(), 3U);
}

TEST_F(NeverLost, EveryOverwriteIsInHistoryAndUndone) {
  const Bytes mine = test::random_bytes(400, 1);
  folder_.write("mine.srm", mine);
  const std::vector<std::string> reshape{"reshape", kSave, "--as", "n64-sram", "-o", "mine.srm"};
  EXPECT_EQ(run(reshape).status, 1);
  EXPECT_EQ(test::read(folder_ / "mine.srm"), mine);
  std::vector<std::string> replace = reshape;
  replace.emplace_back("--replace");
  ASSERT_EQ(run(replace).status, 0);
  EXPECT_TRUE(in_history(mine));
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "mine.srm"), mine);
  // Onto itself.
  const Bytes container = test::read(folder_ / kSave);
  ASSERT_EQ(run({"reshape", kSave, "--as", "n64-sram", "-o", kSave, "--replace"}).status, 0);
  EXPECT_NE(test::read(folder_ / kSave), container);
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::read(folder_ / kSave), container);
  // A card mended onto itself.
  const Bytes damaged = test::read(folder_ / "downloads/failed.card");
  ASSERT_FALSE(damaged.empty());
  (void)run({"card", "mend", "downloads/failed.card", "-o", "downloads/failed.card", "--replace"});
  EXPECT_NE(test::read(folder_ / "downloads/failed.card"), damaged);
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "downloads/failed.card"), damaged);
  // Pictures.
  const std::vector<std::string> icons{"card", "show", "den/cards/left.card", "--icons",
                                       "pictures"};
  ASSERT_EQ(run(icons).status, 0);
  const auto pictures = test::contents(folder_ / "pictures");
  ASSERT_FALSE(pictures.empty());
  folder_.write("pictures/" + pictures.begin()->first, mine);
  EXPECT_EQ(run(icons).status, 1);
  EXPECT_EQ(test::read(folder_ / ("pictures/" + pictures.begin()->first)), mine);
  std::vector<std::string> again = icons;
  again.emplace_back("--replace");
  ASSERT_EQ(run(again).status, 0);
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(test::read(folder_ / ("pictures/" + pictures.begin()->first)), mine);
  folder_.write("board.png", mine);
  EXPECT_EQ(run({"state", "list", "wharf", "--png", "board.png"}).status, 1);
  EXPECT_EQ(test::read(folder_ / "board.png"), mine);
}

// 13
TEST_F(NeverLost, TwoThatLearnAtOnceBothStay) {
  for (int round = 0; round < 5; ++round) {
    ASSERT_EQ(run({"bay", "forget", "den"}).status, 0);
    ASSERT_EQ(run({"bay", "forget", "ferry"}).status, 0);
    std::thread other([&] { EXPECT_EQ(run({"bay", "learn", "den", "den"}).status, 0); });
    EXPECT_EQ(run({"bay", "learn", "ferry", "ferry"}).status, 0);
    other.join();
    const std::string list = run({"bay", "list"}).out;
    EXPECT_NE(list.find("den"), std::string::npos);
    EXPECT_NE(list.find("ferry"), std::string::npos);
  }
}

TEST_F(NeverLost, ASettingsFileBehindALinkStaysThere) {
  const Path file = folder_ / "xdg/config/bayswap/bays.toml";
  std::filesystem::rename(file, folder_ / "dotfiles.toml");
  std::filesystem::create_symlink(folder_ / "dotfiles.toml", file);
  ASSERT_EQ(run({"bay", "forget", "ferry"}).status, 0);
  EXPECT_TRUE(std::filesystem::is_symlink(file));
  EXPECT_EQ(test::text_of(folder_ / "dotfiles.toml").find("ferry"), std::string::npos);
}

TEST_F(NeverLost, APlaceWhoseNameIsNoTextIsTheSamePlace) {
  const std::string name = "den\xFF\xFE";
  std::filesystem::copy(folder_ / "den", folder_.path() / name,
                        std::filesystem::copy_options::recursive);
  ASSERT_EQ(run({"bay", "learn", "odd", at(name)}).status, 0);
  const test::Outcome outcome =
      run({"carry", "reader:Copper Tide", "--to", "odd", "--accept", "newer-there"});
  EXPECT_EQ(outcome.status, 0) << outcome.out << outcome.err;
  EXPECT_NE(test::contents(folder_.path() / name), test::contents(folder_ / "den"));
}

// 14
TEST_F(NeverLost, AVersionThatWasTidiedAwayIsSaidToBeSo) {
  ASSERT_EQ(carry_file().status, 0);
  const std::string first =
      object({"history", "den:Copper Tide"})["saves"][0]["versions"][0]["version"];
  folder_.write("reader/Copper Tide (America).sra", test::random_bytes(32768, 77));
  ASSERT_EQ(carry_file().status, 0);
  ASSERT_EQ(run({"history", "tidy", "--days", "0", "--versions", "1"}).status, 0);
  const test::Outcome undone = run({"undo"});
  EXPECT_EQ(undone.status, 1) << undone.out << undone.err;
  EXPECT_NE(undone.err.find("tidied away"), std::string::npos) << undone.err;
  EXPECT_EQ(undone.err.find("database"), std::string::npos);
  const test::Outcome restored = run({"restore", "den:Copper Tide", "--at", first});
  EXPECT_EQ(restored.status, 1);
  EXPECT_NE(restored.err.find("tidied away"), std::string::npos) << restored.err;
}

// 15
TEST_F(NeverLost, APlaceThatIsNotThereIsNotMadeAnew) {
  ASSERT_EQ(carry_file().status, 0);
  const std::string first =
      object({"history", "den:Copper Tide"})["saves"][0]["versions"][0]["version"];
  std::filesystem::rename(folder_ / "den", folder_ / "away");
  for (const auto& words :
       std::vector<std::vector<std::string>>{{"undo"},
                                             {"undo", "--accept", "newer-there"},
                                             {"restore", "den:Copper Tide", "--at", first},
                                             {"carry", "reader:Copper Tide", "--to", "den"}}) {
    const test::Outcome outcome = run(words);
    EXPECT_NE(outcome.status, 0) << words[0] << outcome.out;
    EXPECT_FALSE(std::filesystem::exists(folder_ / "den")) << words[0];
  }
  // Nor is a mount point filled whose card is out.
  std::filesystem::create_directory(folder_ / "den");
  const test::Outcome empty = run({"restore", "den:Copper Tide", "--at", first});
  EXPECT_EQ(empty.status, 4) << empty.out << empty.err;
  EXPECT_NE(run({"undo", "--accept", "newer-there"}).status, 0);
  EXPECT_NE(run({"carry", "reader:Copper Tide", "--to", "den"}).status, 0);
  EXPECT_TRUE(std::filesystem::is_empty(folder_ / "den"));
}

// 16
TEST_F(NeverLost, AHistoryThatCannotBeWrittenCanBeRead) {
  ASSERT_EQ(carry_file().status, 0);
  const Path data = folder_ / "xdg/data/bayswap";
  for (const auto& entry : std::filesystem::directory_iterator(data))
    std::filesystem::permissions(entry.path(), std::filesystem::perms(0444));
  std::filesystem::permissions(data, std::filesystem::perms(0555));
  std::filesystem::permissions(folder_ / "xdg/data", std::filesystem::perms(0555));
  std::filesystem::create_directory(folder_ / "mine");
  give_to_nobody("mine");
  give_to_nobody("xdg/config");
  const test::Outcome listed = run_as_nobody({"history"});
  EXPECT_EQ(listed.status, 0) << listed.err;
  EXPECT_NE(listed.out.find("Copper Tide"), std::string::npos);
  EXPECT_EQ(run_as_nobody({"history", "verify"}).status, 0);
  const test::Outcome exported = run_as_nobody({"history", "export", "-o", "mine/out"});
  EXPECT_EQ(exported.status, 0) << exported.err;
  EXPECT_FALSE(test::contents(folder_ / "mine/out").empty());
  std::filesystem::permissions(folder_ / "xdg/data", std::filesystem::perms(0755));
  std::filesystem::permissions(data, std::filesystem::perms(0755));
}

// 19
TEST_F(NeverLost, SomeCommandsNeedNoHome) {
  const auto bare = [&](std::vector<std::string> words) {
    std::vector<std::string> all{"env", "-i", "PATH=/usr/bin:/bin", BAYSWAP_TOOL};
    all.insert(all.end(), words.begin(), words.end());
    return test::run_program(all, folder_.path(), {});
  };
  EXPECT_EQ(bare({"--version"}).status, 0);
  EXPECT_EQ(bare({"look", "--help"}).status, 0);
  const test::Outcome failed = bare({"look", kSave, "--json"});
  EXPECT_EQ(failed.status, 3);
  EXPECT_EQ(test::json::parse(failed.out)["error"]["code"], "no-home") << failed.out;
}

TEST_F(NeverLost, LinksThatRunInALoopHarmNothing) {
  const Path loops = folder_ / "loops";
  std::filesystem::create_directory(loops);
  std::filesystem::create_symlink("b", loops / "a");
  std::filesystem::create_symlink("a", loops / "b");
  std::filesystem::create_symlink("self.srm", loops / "self.srm");
  std::filesystem::create_directory_symlink(".", loops / "here");
  folder_.write("loops/real.srm", test::random_bytes(8192, 1));
  for (const std::string path : {"loops", "loops/a", "loops/self.srm"}) {
    const test::Outcome outcome = run({"look", path});
    EXPECT_EQ((outcome.out + outcome.err).find("filesystem error"), std::string::npos);
    EXPECT_NE(outcome.status, 134);
  }
  EXPECT_EQ(run({"look", "loops"}).status, 0);
  EXPECT_EQ(run({"look", "loops/a", "loops/b"}).status, 3);
  EXPECT_EQ(run({"bay", "learn", "loops", "loops/a"}).status, 3);
}

TEST_F(NeverLost, LeftoversOfAKillGo) {
  folder_.write("xdg/config/bayswap/.bayswap-new-999999999", Bytes(3));
  ASSERT_EQ(run({"bay", "forget", "ferry"}).status, 0);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "xdg/config/bayswap/.bayswap-new-999999999"));
}

// 20
TEST_F(NeverLost, AnArchiveWithAWrongByteIsNotCarried) {
  folder_.write("pack/Copper Tide (America).sra", test::random_bytes(32768, 5), 1);
  for (const std::string how :
       {"czf pack.tar.gz", "cJf pack.tar.xz", "cjf pack.tar.bz2", "--zstd -cf pack.tar.zst"}) {
    SCOPED_TRACE(how);
    const std::string name = how.substr(how.find("pack"));
    if (std::system(("cd '" + folder_.path().string() + "' && tar " + how +
                     " pack 2>/dev/null && tar " + how + " pack")
                        .c_str()) != 0)
      continue;
    const Bytes good = test::read(folder_ / name);
    const Bytes old = test::read(folder_ / kSave);
    const std::string inner = name + ":pack/Copper Tide (America).sra";
    std::vector<std::string> words{"carry", inner, "--to", "den", "--accept", "newer-there"};
    // Behind what is read of the tar, in the middle, and in the check at the end.
    for (const std::size_t from_end : {1U, 5U, 7U, 2000U}) {
      Bytes bad = good;
      bad[bad.size() - from_end] ^= std::byte{0x10};
      folder_.write(name, bad);
      const test::Outcome outcome = run(words);
      if (name == "pack.tar.bz2" && from_end == 1U) {
        // Bits behind the end of the stream; they say nothing.
        if (outcome.status == 0) {
          ASSERT_EQ(run({"undo"}).status, 0);
        }
        continue;
      }
      EXPECT_NE(outcome.status, 0) << from_end << outcome.out;
      EXPECT_EQ(test::read(folder_ / kSave), old);
    }
    folder_.write(name, good);
    const test::Outcome fine = run(words);
    EXPECT_EQ(fine.status, 0) << fine.out << fine.err;
    ASSERT_EQ(run({"undo"}).status, 0);
  }
}

TEST_F(NeverLost, NeitherAreZipsNor7zNorPackedStates) {
  folder_.write("pack/Copper Tide (America).sra", test::random_bytes(32768, 5), 1);
  const Bytes old = test::read(folder_ / kSave);
  for (const std::string format : {"zip", "7zip"}) {
    ASSERT_EQ(std::system(("cd '" + folder_.path().string() + "' && bsdtar --format " + format +
                           " -cf pack." + format + " pack")
                              .c_str()),
              0);
    Bytes bytes = test::read(folder_ / ("pack." + format));
    const std::string inner = "pack." + format + ":pack/Copper Tide (America).sra";
    bytes[bytes.size() / 2] ^= std::byte{0x10};
    folder_.write("pack." + format, bytes);
    const test::Outcome outcome = run({"carry", inner, "--to", "den", "--accept", "newer-there"});
    EXPECT_NE(outcome.status, 0) << format << outcome.out;
    EXPECT_EQ(test::read(folder_ / kSave), old);
  }
  // A state in a zip whose check fails is not unpacked as if it were whole.
  folder_.write("deep.state", test::random_bytes(60'000, 6), 1);
  ASSERT_EQ(run({"reshape", "deep.state", "--as", "state-zip", "-o", "packed.state1"}).status, 0);
  Bytes packed = test::read(folder_ / "packed.state1");
  packed[packed.size() / 2] ^= std::byte{0x10};
  folder_.write("packed.state1", packed);
  EXPECT_EQ(run({"reshape", "packed.state1", "--as", "state-plain", "-o", "plain.state1"}).status,
            3);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "plain.state1"));
}

}  // namespace
}  // namespace bayswap
