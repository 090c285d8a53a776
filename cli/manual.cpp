#include "cli/manual.h"

#include <fmt/core.h>

#include <algorithm>
#include <sstream>

#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

// Nothing of a text is a request of man's language.
std::string plain(std::string text) {
  text = replaced(std::move(text), "\\", "\\e");
  text = replaced(std::move(text), "-", "\\-");
  if (text.starts_with('.') || text.starts_with('\'')) text = "\\&" + text;
  return text;
}

std::string head(const std::string& name, char section, const std::string& version) {
  return fmt::format(".TH \"{}\" \"{}\" \"\" \"Bay Swap{}\" \"\"\n.nh\n.ad l\n",
                     upper_ascii(plain(name)), section, version.empty() ? "" : " " + version);
}

std::string option_words(const OptionInfo& option) {
  std::vector<std::string> names;
  for (const std::string& name : option.names) names.push_back("\\fB" + plain(name) + "\\fR");
  std::string text = joined(names, ", ");
  if (!option.value.empty() && !option.is_argument) text += " \\fI" + plain(option.value) + "\\fR";
  return text;
}

std::string synopsis(const CommandInfo& command, const std::string& called) {
  std::string text = "\\fB" + plain(called) + "\\fR";
  const bool has_options = std::ranges::any_of(
      command.options, [](const OptionInfo& option) { return !option.is_argument; });
  if (has_options) text += " [\\fIoptions\\fR]";
  for (const OptionInfo& option : command.options)
    if (option.is_argument)
      text += fmt::format(" {}\\fI{}\\fR{}", option.is_required ? "" : "[",
                          plain(option.names.front()), option.is_required ? "" : "]");
  if (!command.commands.empty()) text += " \\fIcommand\\fR";
  return text + "\n";
}

void add_options(const CommandInfo& command, std::string& text) {
  for (const OptionInfo& option : command.options)
    if (!option.help.empty())
      text += fmt::format(".TP\n{}\n{}\n", option_words(option), plain(option.help));
}

// A command's own words, and those of the commands in it.
void add_command(const CommandInfo& command, const std::string& called, std::string& text) {
  text += ".SS " + plain(called) + "\n" + plain(command.summary) + ".\n.PP\n" +
          synopsis(command, called);
  add_options(command, text);
  if (!command.example.empty()) text += ".PP\n.EX\n" + plain(command.example) + "\n.EE\n";
  for (const CommandInfo& inner : command.commands)
    add_command(inner, called + " " + inner.name, text);
}

ManualPage page_of(const CommandInfo& command, const std::string& version) {
  const std::string name = "bayswap-" + command.name;
  const std::string called = "bayswap " + command.name;
  std::string text = head(name, '1', version);
  text += ".SH NAME\n" + plain(name) + " \\- " + plain(command.summary) + "\n";
  text += ".SH SYNOPSIS\n" + synopsis(command, called);
  if (command.commands.empty()) {
    text += ".SH OPTIONS\n";
    add_options(command, text);
    if (!command.example.empty())
      text += ".SH EXAMPLES\n.EX\n" + plain(command.example) + "\n.EE\n";
  } else {
    text += ".SH COMMANDS\n";
    for (const CommandInfo& inner : command.commands)
      add_command(inner, called + " " + inner.name, text);
  }
  return {name + ".1", text + ".SH SEE ALSO\n.BR bayswap (1)\n"};
}

std::string without_marks(const std::string& line) {
  std::string text = replaced(line, "**", "");
  text = replaced(std::move(text), "`", "");
  // `[words](target)` keeps its words.
  for (auto open = text.find("]("); open != std::string::npos; open = text.find("](")) {
    const auto close = text.find(')', open);
    const auto begin = text.rfind('[', open);
    if (close == std::string::npos || begin == std::string::npos) break;
    text.erase(open, close + 1 - open);
    text.erase(begin, 1);
  }
  return text;
}

}  // namespace

std::vector<ManualPage> command_pages(const CommandInfo& root, const std::string& version) {
  std::vector<ManualPage> pages;
  std::string text = head("bayswap", '1', version);
  text +=
      ".SH NAME\nbayswap \\- moves retro\\-game saves between programs, consoles and cartridges\n";
  text += ".SH SYNOPSIS\n\\fBbayswap\\fR \\fIcommand\\fR …\n.SH DESCRIPTION\n" +
          plain(root.summary) + "\n";
  text += ".SH COMMANDS\n";
  std::vector<std::string> others;
  for (const CommandInfo& command : root.commands) {
    text +=
        fmt::format(".TP\n.BR bayswap\\-{} (1)\n{}\n", plain(command.name), plain(command.summary));
    pages.push_back(page_of(command, version));
  }
  text +=
      ".SH EXIT STATUS\n.TP\n0\ndone, or planned\n.TP\n1\na check stopped it; nothing was changed\n"
      ".TP\n2\nthe words make no sense\n.TP\n3\nan input is damaged, or something else\n.TP\n4\n"
      "a place can't be reached or written\n.TP\n5\nwhat was written reads back differently\n";
  text +=
      ".SH FILES\n.TP\n~/.config/bayswap/bays.toml\nbays, see\n.BR bayswap\\-bays (5)\n.TP\n"
      "~/.config/bayswap/catalog.toml\nyour list of games\n.TP\n~/.config/bayswap/maps/\nfield "
      "maps\n"
      ".TP\n~/.local/share/bayswap/\nhistory, and what is remembered of a hub\n";
  text += ".SH SEE ALSO\n.BR bayswap\\-bays (5),\n.BR bayswap\\-patterns (5)\n";
  pages.push_back({"bayswap.1", std::move(text)});
  return pages;
}

ManualPage reader_page(const std::string& version) {
  return {"bayswap-reader.1",
          head("bayswap-reader", '1', version) +
              ".SH NAME\nbayswap\\-reader \\- a cartridge reader that is only simulated\n"
              ".SH SYNOPSIS\n\\fBbayswap\\-reader\\fR [\\fIoptions\\fR] [\\fIROM\\fR] "
              "[\\fISAVE\\fR]\n.SH DESCRIPTION\nIt answers like a cartridge reader that holds the "
              "ROM and the save, to try\n.BR bayswap\\-cart (1)\nwithout one. With "
              "\\fB\\-\\-pty\\fR it prints the port to type. It can have the faults that real "
              "readers have; \\fB\\-\\-help\\fR lists them.\n"
              ".SH SEE ALSO\n.BR bayswap\\-cart (1)\n"};
}

ManualPage docs_page(std::string_view markdown, const std::string& name,
                     const std::string& summary) {
  std::string text = head(name, '5', "");
  text += ".SH NAME\n" + plain(name) + " \\- " + plain(summary) + "\n.SH DESCRIPTION\n";
  std::istringstream lines{std::string(markdown)};
  bool in_code = false;
  bool in_table = false;
  for (std::string line; std::getline(lines, line);) {
    const bool is_table = !in_code && line.starts_with('|');
    if (is_table != in_table) text += is_table ? ".PP\n.nf\n" : ".fi\n";
    in_table = is_table;
    if (line.starts_with("```")) {
      in_code = !in_code;
      text += in_code ? ".PP\n.EX\n" : ".EE\n";
    } else if (in_code) {
      text += plain(line) + "\n";
    } else if (is_table) {
      if (line.find_first_not_of("|- ") != std::string::npos)
        text += plain(without_marks(line)) + "\n";
    } else if (line.starts_with("# ")) {
      continue;  // its name stands above
    } else if (line.starts_with("## ")) {
      text += ".SH " + upper_ascii(plain(without_marks(line.substr(3)))) + "\n";
    } else if (line.starts_with("### ")) {
      text += ".SS " + plain(without_marks(line.substr(4))) + "\n";
    } else if (line.starts_with("- ")) {
      text += ".IP \\(bu 2\n" + plain(without_marks(line.substr(2))) + "\n";
    } else if (line.empty()) {
      text += ".PP\n";
    } else {
      const auto begin = line.find_first_not_of(' ');
      text += plain(without_marks(line.substr(begin))) + "\n";
    }
  }
  return {name + ".5", text + (in_table ? ".fi\n" : "") + ".SH SEE ALSO\n.BR bayswap (1)\n"};
}

}  // namespace bayswap::cli
