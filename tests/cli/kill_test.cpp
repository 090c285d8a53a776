// The tool killed at any moment, and two of them at once: the old or the new is there, and the next
// run works.
#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <thread>

#include "built_paths.h"
#include "support/card_zoo.h"
#include "support/tool.h"

namespace bayswap {
namespace {

class Killed : public test::Tool {
 protected:
  // The process of a command; what it says on standard error is gathered in a file.
  [[nodiscard]] pid_t start(std::vector<std::string> words) const {
    words.insert(words.begin(), BAYSWAP_TOOL);
    std::vector<char*> arguments;
    for (std::string& word : words) arguments.push_back(word.data());
    arguments.push_back(nullptr);
    const std::string config = at("xdg/config");
    const std::string data = at("xdg/data");
    const pid_t child = ::fork();
    if (child != 0) return child;
    ::setenv("XDG_CONFIG_HOME", config.c_str(), 1);
    ::setenv("XDG_DATA_HOME", data.c_str(), 1);
    const int nowhere = ::open("/dev/null", O_WRONLY);
    const int said = ::open(at("said").c_str(), O_WRONLY | O_CREAT | O_APPEND, 0644);
    ::dup2(nowhere, STDOUT_FILENO);
    ::dup2(said, STDERR_FILENO);
    if (::chdir(folder_.path().c_str()) == 0) ::execv(arguments.front(), arguments.data());
    ::_exit(127);
  }
  static int wait_for(pid_t child) {
    int status = 0;
    ::waitpid(child, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  }
  [[nodiscard]] bool has_leftovers() const {
    const std::filesystem::recursive_directory_iterator files(folder_.path());
    return std::ranges::any_of(files, [](const auto& entry) {
      return entry.path().filename().string().starts_with(".bayswap-");
    });
  }
};

TEST_F(Killed, AtAnyMomentTheOldOrTheNewIsThere) {
  const std::string target = "den/saves/Copper Tide (America).srm";
  const std::string card = "den/cards/left.card";
  const Bytes old_save = test::read(folder_ / target);
  const Bytes old_card = test::read(folder_ / card);
  const std::vector<std::string> carry{"carry", "reader:Copper Tide", "--to",
                                       "den",   "--accept",           "newer-there"};
  const std::vector<std::string> drop{"card", "drop", card, "BASLUS-00417TOWER"};
  ASSERT_EQ(wait_for(start(carry)), 0);
  ASSERT_EQ(wait_for(start(drop)), 0);
  const Bytes new_save = test::read(folder_ / target);
  const Bytes new_card = test::read(folder_ / card);
  ASSERT_NE(new_save, old_save);
  ASSERT_NE(new_card, old_card);
  test::Numbers numbers(3);
  int old_ones = 0;
  const int wanted = test::rounds(40);
  for (int round = 0; round < wanted; ++round) {
    const bool of_card = round % 2 == 1;
    folder_.write(target, old_save, 20);
    folder_.write(card, old_card, 20);
    const pid_t child = start(of_card ? drop : carry);
    std::this_thread::sleep_for(std::chrono::microseconds(numbers() % 40'000));
    ::kill(child, SIGKILL);
    (void)wait_for(child);
    // The next run settles what this one left.
    ASSERT_EQ(wait_for(start({"history"})), 0);
    const Bytes save = test::read(folder_ / target);
    const Bytes left = test::read(folder_ / card);
    EXPECT_TRUE(save == old_save || save == new_save) << "round " << round;
    EXPECT_TRUE(left == old_card || left == new_card) << "round " << round;
    EXPECT_FALSE(has_leftovers()) << "round " << round;
    old_ones += save == old_save && left == old_card ? 1 : 0;
  }
  EXPECT_GT(old_ones, 0) << "some of them were killed before they were done";
  EXPECT_EQ(wait_for(start({"history", "verify"})), 0);
  EXPECT_EQ(wait_for(start(carry)), 0);
}

TEST_F(Killed, TwoAtOnceTakeTurns) {
  const Bytes saves[] = {test::read(folder_ / "reader/Copper Tide (America).sra"),
                         test::random_bytes(0x8000, 7)};
  folder_.write("other/Copper Tide (America).sra", saves[1]);
  const int wanted = test::rounds(10);
  for (int round = 0; round < wanted; ++round) {
    const pid_t first = start(
        {"carry", "reader/Copper Tide (America).sra", "--to", "den", "--accept", "newer-there"});
    const pid_t second = start(
        {"carry", "other/Copper Tide (America).sra", "--to", "den", "--accept", "newer-there"});
    // The one whose plan the other overtook stops; it never writes over what it has not seen.
    const int one = wait_for(first);
    const int other = wait_for(second);
    EXPECT_TRUE(one == 0 || one == 1) << one << test::text_of(folder_ / "said");
    EXPECT_TRUE(other == 0 || other == 1) << other << test::text_of(folder_ / "said");
    EXPECT_TRUE(one == 0 || other == 0);
  }
  EXPECT_FALSE(has_leftovers());
  EXPECT_EQ(wait_for(start({"history", "verify"})), 0);
  const auto versions = object({"history", "den:Copper Tide"})["saves"][0]["versions"];
  EXPECT_GE(versions.size(), 2U);
  EXPECT_TRUE(versions.back()["there_now"]) << "the journal's last word is what lies there";
}

}  // namespace
}  // namespace bayswap
