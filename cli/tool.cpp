#include "cli/tool.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <ostream>

#include "bytes/text.h"
#include "cli/commands/commands.h"
#include "cli/render/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

constexpr std::array<std::string_view, 16> kChecks{
    "state-not-save", "other-game", "region-differs", "chip-differs", "blank-source", "in-use",
    "no-room",        "name-taken", "already-there",  "newer-there",  "damaged",      "loses-parts",
    "no-match",       "many-match", "other-program",  "read-only"};

struct Command {
  std::string_view name;
  void (*add)(CLI::App&, Run&);
};

constexpr std::array<Command, 13> kCommands{{{"look", add_look},
                                             {"reshape", add_reshape},
                                             {"carry", add_carry},
                                             {"undo", add_undo},
                                             {"keep", add_keep},
                                             {"history", add_history},
                                             {"restore", add_restore},
                                             {"bay", add_bay},
                                             {"card", add_card},
                                             {"state", add_state},
                                             {"catalog", add_catalog},
                                             {"layouts", add_layouts},
                                             {"demo", add_demo}}};

// The parser of the command that is called; of all of them for help and for a word that is none.
void add_commands(CLI::App& app, Run& run, std::string_view called) {
  const auto one = std::ranges::find(kCommands, called, &Command::name);
  if (one != kCommands.end()) return one->add(app, run);
  for (const Command& command : kCommands) command.add(app, run);
}

}  // namespace

void Run::print(const std::string& text) const {
  surroundings.out << text;
}

void Run::fail(const Error& error) {
  status = static_cast<int>(error.trouble);
  if (json) {
    print(dump(with_schema("error", to_json(error))) + "\n");
  } else {
    surroundings.err << error_text(error, style());
  }
}

void Run::with_session(const std::function<Result<void>(Session&)>& body) {
  if (surroundings.no_places) {
    fail(*surroundings.no_places);
    return;
  }
  auto session = Session::open(disk(), surroundings.places);
  if (!session) {
    fail(session.error());
    return;
  }
  if (auto done = body(*session); !done) fail(done.error());
  for (const Finding& note : session->notes)
    surroundings.err << error_text({Trouble::place, note.code, note.text, note.hint}, style());
}

CLI::App* add_command(CLI::App& app, Run& run, const std::string& name, const std::string& summary,
                      const std::string& example) {
  CLI::App* command = app.add_subcommand(name, summary);
  command->add_flag("--json", run.json, "one JSON object on standard output");
  command->footer("Example:\n  " + example);
  return command;
}

void add_accept(CLI::App& command, std::vector<std::string>& codes) {
  command.add_option("--accept", codes, "checks to let through, with commas")
      ->type_name("CODE")
      ->delimiter(',')
      ->expected(1)
      ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
}

Result<std::set<std::string>> accepted_codes(const std::vector<std::string>& codes) {
  std::set<std::string> accepted;
  for (const std::string& code : codes) {
    if (std::find(kChecks.begin(), kChecks.end(), code) == kChecks.end())
      return bayswap::fail(Trouble::usage, "usage", "there is no check '" + safe_text(code) + "'",
                           "checks are " + list_text({kChecks.begin(), kChecks.end()}));
    accepted.insert(code);
  }
  return accepted;
}

int run_tool(const std::vector<std::string>& arguments, const Surroundings& surroundings) {
  Run run{surroundings};
  CLI::App app{
      "Bay Swap moves retro-game saves: it says what they are, checks, converts, carries and "
      "undoes.",
      "bayswap"};
  app.require_subcommand(1);
  app.set_version_flag("--version", BAYSWAP_VERSION);
  app.footer("'bayswap COMMAND --help' has an example of each. Start with: bayswap demo");
  add_commands(app, run, arguments.empty() ? "" : arguments.front());
  try {
    std::vector<std::string> reversed(arguments.rbegin(), arguments.rend());
    app.parse(reversed);
  } catch (const CLI::Success& asked) {
    return app.exit(asked, surroundings.out, surroundings.err);
  } catch (const CLI::ParseError& wrong) {
    // The flag may stand behind the word that ended the parsing.
    run.json =
        run.json || std::find(arguments.begin(), arguments.end(), "--json") != arguments.end();
    const std::string command = arguments.empty() || arguments.front().starts_with("-")
                                    ? ""
                                    : " " + safe_text(arguments.front());
    run.fail({Trouble::usage, "usage", safe_text(wrong.what()),
              "see: bayswap" + (app.get_subcommands().empty() ? "" : command) + " --help"});
  }
  return run.status;
}

}  // namespace bayswap::cli
