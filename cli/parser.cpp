#include "cli/parser.h"

#include <fmt/core.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <numeric>
#include <string_view>
#include <utility>

namespace bayswap::cli {

Option& Option::required() {
  option_->required();
  return *this;
}

Option& Option::type_name(const std::string& name) {
  option_->type_name(name);
  return *this;
}

Option& Option::with_commas() {
  option_->delimiter(',')->expected(1)->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
  return *this;
}

Option& Option::between(long lowest, long highest) {
  option_->check(CLI::Range(lowest, highest).description(""));
  return *this;
}

Option& Option::show_default() {
  option_->capture_default_str();
  return *this;
}

Command& Command::add_command(const std::string& name, const std::string& summary) {
  return commands_.emplace_back(app_->add_subcommand(name, summary));
}

Option Command::add_flag(const std::string& name, bool& value, const std::string& help) {
  return Option(app_->add_flag(name, value, help));
}

Option Command::add_option(const std::string& name, std::string& value, const std::string& help) {
  return Option(app_->add_option(name, value, help));
}

Option Command::add_option(const std::string& name, std::vector<std::string>& value,
                           const std::string& help) {
  return Option(app_->add_option(name, value, help));
}

Option Command::add_option(const std::string& name, int& value, const std::string& help) {
  return Option(app_->add_option(name, value, help));
}

Option Command::add_option(const std::string& name, std::size_t& value, const std::string& help) {
  return Option(app_->add_option(name, value, help));
}

Option Command::add_option(const std::string& name, std::optional<std::uint32_t>& value,
                           const std::string& help) {
  return Option(app_->add_option_function<std::uint32_t>(
      name, [&value](std::uint32_t given) { value = given; }, help));
}

Option Command::add_option(const std::string& name, std::optional<std::string>& value,
                           const std::string& help) {
  return Option(app_->add_option_function<std::string>(
      name, [&value](const std::string& given) { value = given; }, help));
}

Option Command::add_option(const std::string& name, Path& value, const std::string& help) {
  return Option(app_->add_option_function<std::string>(
      name, [&value](const std::string& given) { value = given; }, help));
}

Option Command::add_option(const std::string& name, std::vector<Path>& value,
                           const std::string& help) {
  return Option(app_->add_option_function<std::vector<std::string>>(
      name,
      [&value](const std::vector<std::string>& given) { value.assign(given.begin(), given.end()); },
      help));
}

Option Command::add_option(const std::string& name, std::optional<Path>& value,
                           const std::string& help) {
  return Option(app_->add_option_function<std::string>(
      name,
      [&value](const std::string& given) {
        if (!given.empty()) value = given;
      },
      help));
}

namespace {

// How many letters have to be changed, added or left out.
std::size_t distance(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (const char letter : a) {
    std::size_t corner = row[0]++;
    for (std::size_t j = 0; j < b.size(); ++j) {
      const std::size_t changed = corner + (letter == b[j] ? 0 : 1);
      corner = row[j + 1];
      row[j + 1] = std::min({changed, corner + 1, row[j] + 1});
    }
  }
  return row.back();
}

// The known word that is nearest, when it is near enough to be meant.
std::string nearest(const std::string& word, const std::vector<std::string>& known) {
  std::string best;
  std::size_t least = 1 + word.size() / 3;
  for (const std::string& one : known) {
    const bool begun = word.size() > 2 && one.starts_with(word);
    const std::size_t far = begun ? 1 : distance(word, one);
    if (far > least || (far == least && !best.empty())) continue;
    best = one;
    least = far;
  }
  return best;
}

std::vector<std::string> commands_of(const CLI::App& app) {
  std::vector<std::string> names;
  for (const CLI::App* command : app.get_subcommands({})) names.push_back(command->get_name());
  return names;
}

std::vector<std::string> options_of(const CLI::App& app) {
  std::vector<std::string> names;
  for (const CLI::Option* option : app.get_options())
    for (const std::string& name : option->get_lnames()) names.push_back("--" + name);
  return names;
}

// Which word is wrong, in the words of this tool; nothing where it is something else.
Parser::Outcome misread(const std::vector<std::string>& words, const CLI::App& root) {
  const CLI::App* app = &root;
  std::string called = root.get_name();
  for (const std::string& word : words) {
    const auto commands = commands_of(*app);
    const std::string option = word.substr(0, word.find('='));
    if (option.starts_with("--") && option.size() > 2) {
      const auto options = options_of(*app);
      if (std::ranges::find(options, option) != options.end()) continue;
      const std::string near = nearest(option, options);
      return {0, fmt::format("'{}' has no option '{}'", called, option), near, false};
    }
    if (commands.empty() || word.starts_with('-')) continue;
    if (std::ranges::find(commands, word) == commands.end()) {
      const std::string near = nearest(word, commands);
      return {0, fmt::format("there is no command '{} {}'", called, word),
              near.empty() ? near : fmt::format("{} {}", called, near), false};
    }
    app = app->get_subcommand(word);
    called += " " + word;
  }
  const auto commands = commands_of(*app);
  if (commands.empty()) return {};
  std::string list;
  for (const std::string& name : commands) list += (list.empty() ? "" : ", ") + name;
  return {0, "'" + called + "' needs one of these words behind it: " + list, "", false};
}

}  // namespace

namespace {

OptionInfo info_of(const CLI::Option& option) {
  OptionInfo info;
  for (const std::string& name : option.get_snames()) info.names.push_back("-" + name);
  for (const std::string& name : option.get_lnames()) info.names.push_back("--" + name);
  info.is_argument = option.get_positional();
  if (info.is_argument) info.names = {option.get_name(true)};
  const bool takes_value = option.get_items_expected_max() > 0;
  if (takes_value) info.value = info.is_argument ? info.names.front() : option.get_type_name();
  info.help = option.get_description();
  info.is_required = option.get_required();
  return info;
}

CommandInfo info_of(const CLI::App& app) {
  CommandInfo info{app.get_name(), app.get_description(), app.get_footer(), {}, {}};
  constexpr std::string_view kExample = "Example:\n  ";
  if (info.example.starts_with(kExample)) info.example.erase(0, kExample.size());
  for (const CLI::Option* option : app.get_options()) info.options.push_back(info_of(*option));
  for (const CLI::App* command : app.get_subcommands({}))
    info.commands.push_back(info_of(*command));
  return info;
}

}  // namespace

const CommandInfo* CommandInfo::command(const std::string& wanted) const {
  const auto found = std::ranges::find(commands, wanted, &CommandInfo::name);
  return found == commands.end() ? nullptr : &*found;
}

CommandInfo Command::describe() const {
  return info_of(*app_);
}

void Command::footer(const std::string& text) {
  app_->footer(text);
}

void Command::needs_command() {
  app_->require_subcommand(1);
}

void Command::version(const std::string& text) {
  app_->set_version_flag("--version", text);
}

void Command::on_call(std::function<void()> run) {
  app_->callback([app = app_, run = std::move(run)] {
    if (app->get_subcommands().empty()) run();
  });
}

Parser::Parser(const std::string& summary, const std::string& name)
    : app_(std::make_unique<CLI::App>(summary, name)), root_(app_.get()) {
  app_->get_formatter()->label("REQUIRED", "(needed)");
  app_->get_formatter()->label("TEXT", "");
  app_->get_formatter()->label("INT", "NUMBER");
  app_->get_formatter()->label("UINT", "NUMBER");
}

Parser::~Parser() = default;

Parser::Outcome Parser::run(const std::vector<std::string>& words, std::ostream& out,
                            std::ostream& err) {
  try {
    std::vector<std::string> reversed(words.rbegin(), words.rend());
    app_->parse(reversed);
  } catch (const CLI::Success& asked) {
    return {app_->exit(asked, out, err), {}, {}, false};
  } catch (const CLI::ParseError& wrong) {
    Outcome outcome = misread(words, *app_);
    if (outcome.problem.empty()) outcome.problem = wrong.what();
    outcome.known_command = !app_->get_subcommands().empty();
    return outcome;
  }
  return {};
}

}  // namespace bayswap::cli
