// What the tool prints to be pasted into a shell: names of files do nothing there.
#include "cli/render/shell.h"

#include <random>

#include "cli/render/remedies.h"
#include "cli/render/style.h"
#include "support/rounds.h"
#include "support/tool.h"

namespace bayswap::cli {
namespace {

using test::Outcome;
using test::Tool;

TEST(Shell, QuotesOnlyWhereItMust) {
  EXPECT_EQ(shell_word("den/saves/kites.srm"), "den/saves/kites.srm");
  EXPECT_EQ(shell_word("größe.sav"), "größe.sav");
  EXPECT_EQ(shell_word("Copper Tide (America).srm"), "\"Copper Tide (America).srm\"");
  EXPECT_EQ(shell_word("Tin's.sav"), "\"Tin's.sav\"");
  EXPECT_EQ(shell_word("#1"), "\"#1\"");
  EXPECT_EQ(shell_word(""), "\"\"");
  EXPECT_EQ(shell_word("Kite [!].sav"), "'Kite [!].sav'") << "! recalls a command in double quotes";
  EXPECT_EQ(shell_word("a$(b)'s\\"), "'a$(b)'\\''s'\\\\''");
  EXPECT_EQ(shell_word("a\nb"), "\"a?b\"");
  EXPECT_EQ(shell_path("-o.srm"), "./-o.srm");
}

// Each shell gives back every word as it was.
TEST(Shell, WordsComeBackFromEveryShell) {
  std::mt19937 random(20261130);
  const std::vector<std::string> pieces{
      "'", "\"", "\\", "$", "`", "!", "$(exit 3)", "~",  "*",     "?",   "[",  "]",  "{", "}",
      ",", ";",  "&",  "|", "<", ">", "(",         ")",  "#",     "%",   "=",  "^",  " ", "-",
      ":", "@",  "a",  "Z", "7", "ß", "日",        "!!", "$HOME", "\\n", "''", "\\'"};
  std::vector<std::string> words(pieces);
  for (int i = 0; i < test::rounds(4000); ++i) {
    std::string word;
    for (std::size_t length = 1 + random() % 8; length > 0; --length)
      word += pieces[random() % pieces.size()];
    words.push_back(word);
  }
  std::string script;
  std::string expected;
  for (const std::string& word : words) {
    script += "printf '%s\\n' " + shell_word(word) + "\n";
    expected += word + "\n";
  }
  const test::TempFolder folder;
  folder.write("plain", script);
  // As at a prompt, where bash recalls commands by `!`.
  folder.write("prompt", "set -o history\nset -H\n" + script);
  int shells = 0;
  for (const auto& [shell, file] :
       std::vector<std::pair<std::string, std::string>>{{"sh", "plain"},
                                                        {"bash", "plain"},
                                                        {"bash", "prompt"},
                                                        {"zsh", "plain"},
                                                        {"fish", "plain"}}) {
    const auto there =
        test::run_program({"/bin/sh", "-c", "command -v " + shell}, folder.path(), {});
    if (there.status != 0) continue;
    ++shells;
    const auto outcome = test::run_program({"/bin/sh", "-c", "exec " + shell + " < " + file},
                                           folder.path(), {"HOME=" + folder.path().string()});
    EXPECT_EQ(outcome.out, expected) << shell << " " << file << ": " << outcome.err;
  }
  EXPECT_GE(shells, 3) << "sh and bash are on every machine that we build on";
}

TEST(Shell, ACommandInAHintStaysOnOneLine) {
  const Hint hint{"see what else is in it: '", HintPiece{Remedy::carry, "a name of several words"},
                  " ", HintPiece{Remedy::to_bay, "den"}, "' brings it there"};
  EXPECT_EQ(hint_lines(hint, Style(false, 30), 2),
            "→ see what else is in it:\n"
            "    'bayswap carry \"a name of several words\" --to den'\n"
            "    brings it there\n");
}

// Every command that is printed for files of such names runs, and runs nothing else.
TEST_F(Tool, PrintsCommandsThatDoWhatTheySay) {
  const Bytes pak = test::read(folder_ / "reader/Glacier Post (America).mpk");
  const std::string path_to_tool =
      "PATH=" + Path(BAYSWAP_TOOL).parent_path().string() + ":/usr/bin:/bin";
  const auto typed = [&](const std::string& line) {
    return test::run_program({"/bin/sh", "-c", line}, folder_.path(),
                             {path_to_tool, "XDG_CONFIG_HOME=" + at("xdg/config"),
                              "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1"});
  };
  for (const std::string name : {"Glacier Post [!]", "$(touch acted)", "`touch acted`",
                                 "it's \"new\"", "-o", "a; touch acted", "back\\slash", "#1 & 2"}) {
    const std::string path = "odd/" + name + ".mpk";
    folder_.write(path, pak);
    const std::string text = run({"look", path}).out;
    const std::size_t begin = text.rfind("bayswap card show ");
    ASSERT_NE(begin, std::string::npos) << text;
    std::vector<std::string> lines{text.substr(begin)};
    for (const Remedy remedy : {Remedy::look, Remedy::show_card, Remedy::mend_card})
      lines.push_back(hint_text(HintPiece{remedy, path}));
    for (const std::string& line : lines) {
      const Outcome outcome = typed(line);
      EXPECT_EQ(outcome.status, 0) << line << "\n" << outcome.err;
      EXPECT_NE(outcome.out.find("GLACIER POST"), std::string::npos) << line << "\n" << outcome.out;
    }
    EXPECT_TRUE(std::filesystem::exists(folder_ / (path + ".mended"))) << path;
    EXPECT_FALSE(std::filesystem::exists(folder_ / "acted")) << path;
  }
}

}  // namespace
}  // namespace bayswap::cli
