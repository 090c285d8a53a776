// The command line, taken apart. Only parser.cpp sees the library that does it, because that
// library is slow to compile.
#pragma once

#include <deque>
#include <functional>
#include <iosfwd>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/storage.h"

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace bayswap::cli {

/// What can be typed, as data: for manual pages and for shells that complete words.
struct OptionInfo {
  std::vector<std::string> names;  ///< `--plan`, `-o`; of an argument its name alone: `SAVE`
  std::string value;               ///< what stands for its value: `FILE`; empty for a flag
  std::string help;
  bool is_argument = false;
  bool is_required = false;
};
struct CommandInfo {
  std::string name;
  std::string summary;
  std::string example;
  std::vector<OptionInfo> options;
  std::vector<CommandInfo> commands;

  [[nodiscard]] const CommandInfo* command(const std::string& wanted) const;
};

/// An option or argument that was added to a command.
class Option {
 public:
  explicit Option(CLI::Option* option) : option_(option) {}
  Option& required();
  /// What stands for the value in the help: `LAYOUT`.
  Option& type_name(const std::string& name);
  /// Several values, separated by commas.
  Option& with_commas();
  Option& between(long lowest, long highest);
  /// The help shows the value that counts without the option.
  Option& show_default();

 private:
  CLI::Option* option_;
};

/// A command and what can be typed behind it. Values are written where they are to go, so these
/// must live until the command has run.
class Command {
 public:
  explicit Command(CLI::App* app) : app_(app) {}
  Command& add_command(const std::string& name, const std::string& summary);
  Option add_flag(const std::string& name, bool& value, const std::string& help);
  Option add_option(const std::string& name, std::string& value, const std::string& help);
  Option add_option(const std::string& name, std::vector<std::string>& value,
                    const std::string& help);
  Option add_option(const std::string& name, int& value, const std::string& help);
  Option add_option(const std::string& name, std::size_t& value, const std::string& help);
  Option add_option(const std::string& name, std::optional<std::uint32_t>& value,
                    const std::string& help);
  Option add_option(const std::string& name, std::optional<std::string>& value,
                    const std::string& help);
  Option add_option(const std::string& name, Path& value, const std::string& help);
  Option add_option(const std::string& name, std::vector<Path>& value, const std::string& help);
  Option add_option(const std::string& name, std::optional<Path>& value, const std::string& help);
  [[nodiscard]] CommandInfo describe() const;
  /// Text below the help.
  void footer(const std::string& text);
  void needs_command();
  void version(const std::string& text);
  /// Runs when the command was called. Not when one of its own commands was.
  void on_call(std::function<void()> run);

 private:
  CLI::App* app_;
  std::deque<Command> commands_;
};

class Parser {
 public:
  Parser(const std::string& summary, const std::string& name);
  ~Parser();
  [[nodiscard]] Command& root() { return root_; }

  struct Outcome {
    int status = 0;
    std::string problem;         ///< why the words make no sense; empty when they do
    std::string near;            ///< what was probably meant, as it is typed; may be empty
    bool known_command = false;  ///< the problem is behind a command's name
  };
  /// Parses the words and runs the command that they call. Help and version go to `out`.
  Outcome run(const std::vector<std::string>& words, std::ostream& out, std::ostream& err);

 private:
  std::unique_ptr<CLI::App> app_;
  Command root_;
};

}  // namespace bayswap::cli
