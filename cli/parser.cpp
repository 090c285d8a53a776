#include "cli/parser.h"

#include <CLI/CLI.hpp>

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
  option_->check(CLI::Range(lowest, highest));
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
    : app_(std::make_unique<CLI::App>(summary, name)), root_(app_.get()) {}

Parser::~Parser() = default;

Parser::Outcome Parser::run(const std::vector<std::string>& words, std::ostream& out,
                            std::ostream& err) {
  try {
    std::vector<std::string> reversed(words.rbegin(), words.rend());
    app_->parse(reversed);
  } catch (const CLI::Success& asked) {
    return {app_->exit(asked, out, err), {}, false};
  } catch (const CLI::ParseError& wrong) {
    return {0, wrong.what(), !app_->get_subcommands().empty()};
  }
  return {};
}

}  // namespace bayswap::cli
