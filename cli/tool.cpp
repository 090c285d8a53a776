#include "cli/tool.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <ostream>
#include <span>
#include <sstream>

#include "cli/ask_login.h"
#include "cli/commands/commands.h"
#include "cli/completion.h"
#include "cli/render/json/json.h"
#include "cli/render/progress.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"
#include "moves/outputs.h"

namespace bayswap::cli {
namespace {

struct NamedCommand {
  std::string_view name;
  void (*add)(Command&, Run&);
};

constexpr std::array<NamedCommand, 18> kCommands{{{"look", add_look},
                                                  {"reshape", add_reshape},
                                                  {"carry", add_carry},
                                                  {"undo", add_undo},
                                                  {"keep", add_keep},
                                                  {"history", add_history},
                                                  {"restore", add_restore},
                                                  {"bay", add_bay},
                                                  {"card", add_card},
                                                  {"state", add_state},
                                                  {"cart", add_cart},
                                                  {"field", add_field},
                                                  {"sync", add_sync},
                                                  {"watch", add_watch},
                                                  {"hub", add_hub},
                                                  {"catalog", add_catalog},
                                                  {"layouts", add_layouts},
                                                  {"demo", add_demo}}};

// Adds the command that is called. For help, and for an unknown word, adds all of them.
void add_commands(Command& app, Run& run, std::string_view called) {
  const auto one = std::ranges::find(kCommands, called, &NamedCommand::name);
  if (one != kCommands.end()) return one->add(app, run);
  for (const NamedCommand& command : kCommands) command.add(app, run);
}

}  // namespace

void Run::print(const std::string& text) const {
  if (line != nullptr) line->clear();
  surroundings.out << text;
}

void Run::fail(const Error& error) {
  status = exit_status(error.trouble);
  if (json) {
    print(json_text(error));
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
  {
    ProgressLine shown;
    session->progress = line = &shown;
    session->reader_silent = [&](double seconds) {
      shown.clear();
      surroundings.err << fmt::format(
                              "no answer for {:.0f} s; a slow or stopped bar usually means a bad "
                              "contact: do not pull the cartridge now\n",
                              seconds)
                       << std::flush;
    };
    // Asked once, and never written anywhere.
    session->ask_login = [known = std::optional<ShareLogin>(),
                          &shown](const std::string& where) mutable {
      if (known) return known;
      shown.clear();
      known = ask_login(where);
      return known;
    };
    session->ask_words = [&shown] {
      shown.clear();
      return ask_words();
    };
    const auto done = body(*session);
    session->progress = line = nullptr;
    shown.clear();
    if (!done) fail(done.error());
  }
  for (const Finding& note : session->notes)
    surroundings.err << error_text({Trouble::place, note.code, note.text, note.hint}, style());
}

Command& add_command(Command& app, Run& run, const std::string& name, const std::string& summary,
                     const std::string& example) {
  Command& command = app.add_command(name, summary);
  command.add_flag("--json", run.json, "print one JSON object");
  command.footer("Example:\n  " + example);
  return command;
}

void add_page(Command& command, PageChoice& choice) {
  command.add_option("--page", choice.file, "also write a web page to look at or share")
      .type_name("FILE.html");
}

Result<void> write_page(Session& session, Run& run, const std::string& command,
                        const PageChoice& choice, const std::string& text) {
  const ByteView bytes = as_bytes(text);
  const OutputKind kind{command, "", "", choice.replace, true};
  const auto written = write_outputs(session, kind, {{*choice.file, {bytes.begin(), bytes.end()}}});
  if (!written) return tl::unexpected(written.error());
  if (!run.json) run.print(fmt::format("the page is in {}\n", path_text(choice.file->string())));
  return {};
}

void add_accept(Command& command, std::vector<std::string>& codes) {
  command
      .add_option("--accept", codes,
                  "go on although this check stops it; separate several with commas")
      .type_name("CODE")
      .with_commas();
}

Result<std::set<Code>> accepted_codes(const std::vector<std::string>& codes) {
  std::vector<std::string> known;
  for (const CodeInfo& info : all_codes())
    if (info.may_pass) known.emplace_back(info.name);
  std::set<Code> accepted;
  for (const std::string& name : codes) {
    const auto code = parse_code(name);
    if (!code || std::ranges::find(known, name) == known.end())
      return bayswap::fail(Trouble::usage, Code::usage,
                           "there is no check '" + safe_text(name) + "'",
                           "checks are " + list_text(known));
    accepted.insert(*code);
  }
  return accepted;
}

namespace {

constexpr std::string_view kSummary =
    "Bay Swap moves retro-game saves: it says what they are, checks, converts, carries and undoes.";

constexpr std::string_view kFirstPage =
    R"(Bay Swap moves retro-game saves between programs, consoles, memory cards and cartridges.

  bayswap look FILE              what is it, and is there progress in it? A folder works, too
  bayswap carry SAVE --to PLACE  checked, backed up, converted and renamed as the place wants it
  bayswap undo                   takes the last command back

It also knows save states, memory cards, several devices in step, readers, values inside saves.
All commands: bayswap --help. One: bayswap help carry. A world to try things in: bayswap demo
)";

// `help card put` is `card put --help`.
std::vector<std::string> as_options(std::vector<std::string> words) {
  if (words.empty() || words.front() != "help") return words;
  words.erase(words.begin());
  words.emplace_back("--help");
  return words;
}

}  // namespace

CommandInfo describe_tool() {
  std::ostringstream nowhere;
  const Surroundings surroundings{{}, nowhere, nowhere};
  Run run{surroundings};
  Parser parser(std::string(kSummary), "bayswap");
  parser.root().version(BAYSWAP_VERSION);
  for (const NamedCommand& command : kCommands) command.add(parser.root(), run);
  return parser.root().describe();
}

int run_tool(const std::vector<std::string>& typed, const Surroundings& surroundings) {
  if (typed.empty()) {
    surroundings.out << kFirstPage;
    return 0;
  }
  if (typed.front() == kCompleteWord) {
    auto session = Session::open(disk(), surroundings.places);
    for (const std::string& word :
         completions(describe_tool(), std::span(typed).subspan(1), session ? &*session : nullptr))
      surroundings.out << word << "\n";
    return 0;
  }
  const std::vector<std::string> arguments = as_options(typed);
  Run run{surroundings};
  Parser parser(std::string(kSummary), "bayswap");
  Command& app = parser.root();
  app.needs_command();
  app.version(BAYSWAP_VERSION);
  app.footer("'bayswap help COMMAND' has an example of each. Start with: bayswap demo");
  add_commands(app, run, arguments.front());
  const Parser::Outcome parsed = parser.run(arguments, surroundings.out, surroundings.err);
  if (parsed.problem.empty()) return parsed.status != 0 ? parsed.status : run.status;
  // The flag may stand behind the word that ended the parsing.
  run.json = run.json || std::ranges::find(arguments, "--json") != arguments.end();
  const bool named =
      parsed.known_command && !arguments.empty() && !arguments.front().starts_with("-");
  const std::string help =
      fmt::format("see: bayswap{}", named ? " help " + safe_text(arguments.front()) : " --help");
  run.fail({Trouble::usage, Code::usage, safe_text(parsed.problem),
            parsed.near.empty()
                ? help
                : fmt::format("did you mean '{}'? {}", safe_text(parsed.near), help)});
  return run.status;
}

int exit_status(Trouble trouble) {
  switch (trouble) {
    case Trouble::stopped: return 1;
    case Trouble::usage: return 2;
    case Trouble::input: return 3;
    case Trouble::place: return 4;
    case Trouble::read_back: return 5;
  }
  return 4;
}

}  // namespace bayswap::cli
