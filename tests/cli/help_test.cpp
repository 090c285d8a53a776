// What a newcomer meets first: the tool without words, help, near misses, examples that run as they
// are printed, manual pages, and words for the shells.
#include <set>

#include "cli/completion.h"
#include "cli/manual.h"
#include "cli/tool.h"
#include "demo/world.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::Outcome;

class Help : public test::WorldTest {
 protected:
  // Bays and a hub as the story makes them; then one carry.
  void SetUp() override {
    test::WorldTest::SetUp();
    std::filesystem::create_directories(folder_ / "stick");
    std::filesystem::create_directories(folder_ / "xdg/config");
    std::filesystem::copy(folder_ / "own/config", folder_ / "xdg/config/bayswap",
                          std::filesystem::copy_options::recursive);
    for (const std::string command :
         {"bay learn dumps reader", "bay learn den den", "bay learn ferry ferry",
          "bay learn attic attic", "bay learn wharf wharf",
          "bay learn reader --port \"run:'" BAYSWAP_READER
          "' 'reader/LANTERN DRIFT.sfc' 'reader/LANTERN DRIFT.srm'\"",
          "hub join stick --as den", "carry dumps:'Copper Tide' --to den", "keep den"})
      ASSERT_EQ(shell("bayswap " + command).status, 0) << shell("bayswap " + command).err;
  }
  Outcome shell(const std::string& line) {
    const std::string tools = Path(BAYSWAP_TOOL).parent_path().string();
    return test::run_program(
        {"/bin/sh", "-c", line}, folder_.path(),
        {"PATH=" + tools + ":/usr/bin:/bin", "HOME=" + at("home"),
         "XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1"});
  }
};

void collect_examples(const cli::CommandInfo& command, std::vector<std::string>& lines) {
  std::istringstream text(command.example);
  for (std::string line; std::getline(text, line);) {
    const auto begin = line.find("bayswap");
    if (begin != std::string::npos) lines.push_back(line.substr(begin));
  }
  for (const cli::CommandInfo& inner : command.commands) collect_examples(inner, lines);
}

TEST_F(Help, ItsExamplesRunAsTheyArePrinted) {
  std::vector<std::string> lines;
  const cli::CommandInfo tool = cli::describe_tool();
  for (const cli::CommandInfo& command : tool.commands) collect_examples(command, lines);
  EXPECT_GT(lines.size(), 40U);
  const test::TempFolder whole;
  const auto copy = [](const Path& from, const Path& to) {
    return test::run_program({"/bin/cp", "-a", from.string() + "/.", to.string()}, to, {}).status;
  };
  ASSERT_EQ(copy(folder_.path(), whole.path()), 0);
  std::set<std::string> seen;
  for (const std::string& line : lines) {
    if (!seen.insert(line).second) continue;
    // Each in a world of its own.
    for (const auto& entry : std::filesystem::directory_iterator(folder_.path()))
      std::filesystem::remove_all(entry.path());
    ASSERT_EQ(copy(whole.path(), folder_.path()), 0);
    std::string command = line;
    if (line.starts_with("bayswap hub join")) {
      ASSERT_EQ(shell("bayswap hub leave").status, 0);
    }
    if (line.starts_with("bayswap watch")) command = "timeout --preserve-status -s INT 2 " + line;
    const Outcome outcome = shell(command);
    EXPECT_EQ(outcome.status, 0) << line << "\n" << outcome.out << outcome.err;
  }
}

TEST_F(Help, BeginsWithEightLines) {
  const Outcome first = shell("bayswap");
  EXPECT_EQ(first.status, 0);
  EXPECT_EQ(std::ranges::count(first.out, '\n'), 8);
  for (const char* command :
       {"bayswap look", "bayswap carry", "bayswap undo", "bayswap help carry"})
    EXPECT_NE(first.out.find(command), std::string::npos) << command;
  EXPECT_EQ(shell("bayswap help card put").out, shell("bayswap card put --help").out);
  EXPECT_EQ(shell("bayswap help").out, shell("bayswap --help").out);
  EXPECT_NE(shell("bayswap help card put").out.find("Example"), std::string::npos);
}

TEST_F(Help, SaysWhatWasProbablyMeant) {
  const std::vector<std::pair<std::string, std::string>> near{
      {"lok x", "did you mean 'bayswap look'?"},
      {"carry x --too den", "did you mean '--to'?"},
      {"card shwo x", "did you mean 'bayswap card show'?"},
      {"hist", "did you mean 'bayswap history'?"},
      {"look x --jsn", "did you mean '--json'?"}};
  for (const auto& [typed, wanted] : near) {
    const Outcome outcome = shell("bayswap " + typed);
    EXPECT_EQ(outcome.status, 2) << typed;
    EXPECT_NE(outcome.err.find(wanted), std::string::npos) << typed << ": " << outcome.err;
  }
  const Outcome far = shell("bayswap xyzzy");
  EXPECT_EQ(far.status, 2);
  EXPECT_EQ(far.err.find("did you mean"), std::string::npos) << far.err;
  EXPECT_NE(shell("bayswap card").err.find("new, show, take"), std::string::npos);
}

TEST_F(Help, CompletesWords) {
  const auto words = [&](const std::string& typed) {
    return shell("bayswap complete " + typed).out;
  };
  EXPECT_EQ(words("ca"), "card\ncarry\ncart\ncatalog\n");
  EXPECT_EQ(words("card sh"), "show\n");
  EXPECT_EQ(words("carry x --to d"), "den\ndumps\n");
  EXPECT_EQ(words("carry --pl"), "--plan\n");
  EXPECT_EQ(words("reshape x --as n64-sr"), "n64-sram\nn64-sram-swap16\nn64-sram-swap32\n");
  EXPECT_EQ(words("carry x --accept blank"), "blank-source\n");
  EXPECT_EQ(words("carry fe"), "ferry:\n");
  EXPECT_EQ(words("card drop den/cards/left.card ''").find("den:"), std::string::npos);
  EXPECT_NE(words("carry den/cards/left.card:BAS").find("den/cards/left.card:BASLUS"),
            std::string::npos);
  EXPECT_EQ(words("sync a"), "attic\n");
  EXPECT_EQ(words("xyzzy --p"), "");
}

TEST_F(Help, CompletesInBash) {
  const std::string script = std::string(BAYSWAP_SOURCE) + "/cmake/completions/bayswap.bash";
  const auto completed = [&](const std::string& line_words) {
    return test::run_program(
               {"/bin/bash", "-c",
                "source '" + script + "'; COMP_WORDS=(" + line_words +
                    "); COMP_CWORD=$((${#COMP_WORDS[@]}-1)); _bayswap; printf '%s\\n' "
                    "\"${COMPREPLY[@]}\""},
               folder_.path(),
               {"PATH=" + Path(BAYSWAP_TOOL).parent_path().string() + ":/usr/bin:/bin",
                "HOME=" + at("home"), "XDG_CONFIG_HOME=" + at("xdg/config"),
                "XDG_DATA_HOME=" + at("xdg/data")})
        .out;
  };
  EXPECT_EQ(completed("bayswap card sho"), "show\n");
  EXPECT_EQ(completed("bayswap carry x --to fe"),
            "ferry\n"
            "ferry\n")
      << "the bay, and the folder";
  EXPECT_EQ(completed("bayswap carry den/cards/left.card : BASLUS-00417T"), "BASLUS-00417TOWER\n");
  EXPECT_EQ(completed("bayswap bay show fe"), "ferry\nferry\n");
  EXPECT_EQ(completed("bayswap card take den/cards/left.card BASLUS-00417T"),
            "BASLUS-00417TOWER\n");
}

TEST(Manual, HasAPageForEachCommandThatManReads) {
  const cli::CommandInfo tool = cli::describe_tool();
  const auto pages = cli::command_pages(tool, "1.2");
  EXPECT_EQ(pages.size(), tool.commands.size() + 1);
  const auto carry =
      std::ranges::find(pages, std::string("bayswap-carry.1"), &cli::ManualPage::file);
  ASSERT_NE(carry, pages.end());
  EXPECT_NE(carry->text.find("\\fB\\-\\-plan\\fR\nshow what would be done, and change nothing"),
            std::string::npos);
  EXPECT_NE(carry->text.find(".TH \"BAYSWAP\\-CARRY\" \"1\""), std::string::npos);
  EXPECT_EQ(cli::docs_page("# Bays\n\n## A bay\n\nSee [x](y.md).\n\n```\n.code\n```\n",
                           "bayswap-bays", "s")
                .text,
            ".TH \"BAYSWAP\\-BAYS\" \"5\" \"\" \"Bay Swap\" \"\"\n.nh\n.ad l\n.SH "
            "NAME\nbayswap\\-bays \\- s\n"
            ".SH DESCRIPTION\n.PP\n.SH A BAY\n.PP\nSee x.\n.PP\n.PP\n.EX\n\\&.code\n.EE\n.SH SEE "
            "ALSO\n.BR bayswap (1)\n");
}

}  // namespace
}  // namespace bayswap
