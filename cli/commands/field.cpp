#include "bayswap/fields.h"

#include <fmt/core.h>

#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/field.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

// What names a save and its map is the same for all of them.
void add_request(Command& command, FieldRequest& request) {
  command.add_option("SAVE", request.save, "a file, BAY:NAME, or CARD:NAME").required();
  command.add_option("--map", request.map, "the field map; default: the one of yours that fits")
      .type_name("FILE");
  command.add_option("--rom", request.rom, "the ROM of the game").type_name("FILE");
  command.add_option("--is", request.is, "layout of the save").type_name("LAYOUT");
}

void add_field_show(Command& field, Run& run) {
  auto request = std::make_shared<FieldRequest>();
  auto paths = std::make_shared<std::vector<std::string>>();
  Command& command =
      add_command(field, run, "show", "Show what a save holds, as a field map describes it",
                  "bayswap field show \"workshop/Tin Orchard.sav\" baskets pickers");
  add_request(command, *request);
  command.add_option("PATH", *paths, "fields, such as crew[2].wage or rooms[*].name; default: all");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = show_fields(session, *request, *paths);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : fields_text(*report, run.style()));
      return {};
    });
  });
}

void add_field_check(Command& field, Run& run) {
  auto request = std::make_shared<FieldRequest>();
  Command& command = add_command(field, run, "check", "Check a save's checksums and values",
                                 "bayswap field check \"workshop/Tin Orchard.sav\"");
  add_request(command, *request);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = check_fields(session, *request);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : field_check_text(*report, run.style()));
      if (!report->sums.empty() || !report->broken.empty())
        run.status = exit_status(Trouble::input);
      return {};
    });
  });
}

void add_diff(Command& field, Run& run) {
  auto older = std::make_shared<FieldRequest>();
  auto newer = std::make_shared<std::string>();
  Command& command = add_command(
      field, run, "diff", "Show which values differ between two saves",
      "bayswap field diff \"workshop/Tin Orchard.sav\" \"workshop/older/Tin Orchard.sav\"");
  add_request(command, *older);
  command.add_option("OTHER", *newer, "the save to compare it with").required();
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      FieldRequest other = *older;
      other.save = *newer;
      const auto changes = diff_fields(session, *older, other);
      if (!changes) return tl::unexpected(changes.error());
      run.print(run.json ? json_text(*changes) : field_changes_text(*changes, run.style()));
      return {};
    });
  });
}

// `PATH=VALUE`
Result<std::pair<std::string, std::string>> said_value(const std::string& word) {
  const auto equals = word.find('=');
  if (equals == std::string::npos || equals == 0)
    return fail(Trouble::usage, Code::usage,
                fmt::format("'{}' is not of the form PATH=VALUE", safe_text(word)),
                "write it like crew[2].wage=40");
  return std::pair(word.substr(0, equals), word.substr(equals + 1));
}

struct EditArguments {
  FieldEdit edit;
  std::vector<std::string> values;
  std::vector<std::string> accept;
  std::string structure;
  Path file;
};

void add_edit_options(Command& command, EditArguments& arguments) {
  command.add_option("-o,--out", arguments.edit.output, "write a changed copy, not the save itself")
      .type_name("OUT");
  command.add_flag("--plan", arguments.edit.plan, "show what would be done, and change nothing");
  command
      .add_option("--wait", arguments.edit.wait_seconds,
                  "seconds to wait for a program to close the file")
      .between(0, 3600);
  add_accept(command, arguments.accept);
}

void run_edit(Run& run, EditArguments& arguments) {
  run.with_session([&](Session& session) -> Result<void> {
    auto accept = accepted_codes(arguments.accept);
    if (!accept) return tl::unexpected(accept.error());
    arguments.edit.accept = std::move(*accept);
    for (const std::string& word : arguments.values) {
      auto value = said_value(word);
      if (!value) return tl::unexpected(value.error());
      arguments.edit.values.push_back(std::move(*value));
    }
    if (!arguments.structure.empty())
      arguments.edit.structure = std::pair(arguments.structure, arguments.file);
    const auto edited = set_fields(session, arguments.edit);
    if (!edited) return tl::unexpected(edited.error());
    const bool sealing = arguments.edit.values.empty() && !arguments.edit.structure;
    run.print(run.json ? json_text(*edited)
                       : field_edited_text(*edited, arguments.edit.plan, sealing, run.style()));
    bool stopped = edited->moves.empty() && edited->copy.empty() && !edited->nothing_to_do;
    for (const MoveReport& move : edited->moves)
      stopped = stopped || move.status == MoveStatus::stopped;
    if (stopped) run.status = exit_status(Trouble::stopped);
    return {};
  });
}

void add_set(Command& field, Run& run) {
  auto arguments = std::make_shared<EditArguments>();
  Command& command =
      add_command(field, run, "set", "Change values, and correct the checksums",
                  "bayswap field set \"workshop/Tin Orchard.sav\" baskets=40 oil=12.5");
  add_request(command, arguments->edit.of);
  command.add_option("CHANGE", arguments->values, "PATH=VALUE; of several, all are set or none")
      .required();
  add_edit_options(command, *arguments);
  command.on_call([=, &run] { run_edit(run, *arguments); });
}

void add_seal(Command& field, Run& run) {
  auto arguments = std::make_shared<EditArguments>();
  Command& command = add_command(field, run, "seal",
                                 "Correct the checksums after another program changed the save",
                                 "bayswap field seal \"workshop/Tin Orchard.sav\"");
  add_request(command, arguments->edit.of);
  add_edit_options(command, *arguments);
  command.on_call([=, &run] { run_edit(run, *arguments); });
}

void add_field_take(Command& field, Run& run) {
  auto request = std::make_shared<FieldRequest>();
  auto path = std::make_shared<std::string>();
  auto output = std::make_shared<Path>();
  Command& command =
      add_command(field, run, "take", "Copy one structure of a save into a file",
                  "bayswap field take \"workshop/Tin Orchard.sav\" 'trees[3]' -o tree.bin");
  add_request(command, *request);
  command.add_option("PATH", *path, "the structure, such as rooms[3]").required();
  command.add_option("-o,--out", *output, "the new file").type_name("OUT").required();
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto size = take_structure(session, *request, *path, *output);
      if (!size) return tl::unexpected(size.error());
      run.print(run.json ? fmt::format("{{\"schema\":1,\"size\":{}}}\n", *size)
                         : fmt::format("{} are in {}\n", counted(*size, "byte"),
                                       path_text(output->string())));
      return {};
    });
  });
}

void add_field_put(Command& field, Run& run) {
  auto arguments = std::make_shared<EditArguments>();
  Command& command =
      add_command(field, run, "put", "Copy a structure from a file into a save",
                  "bayswap field put \"workshop/Tin Orchard.sav\" 'trees[0]' workshop/pear.tree");
  add_request(command, arguments->edit.of);
  command.add_option("PATH", arguments->structure, "the structure, such as rooms[3]").required();
  command.add_option("FILE", arguments->file, "the file that 'field take' wrote").required();
  add_edit_options(command, *arguments);
  command.on_call([=, &run] { run_edit(run, *arguments); });
}

void add_find(Command& field, Run& run) {
  struct Wanted {
    std::vector<std::string> saves;
    std::string value;
    std::vector<std::string> then;
    bool text = false;
    std::size_t most = 20;
  };
  auto wanted = std::make_shared<Wanted>();
  Command& command = add_command(
      field, run, "find", "Find where a value is stored, from saves in which you know it",
      "bayswap field find \"workshop/older/Tin Orchard.sav\" \"workshop/Tin "
      "Orchard.sav\" --value 28 --then 41");
  command.add_option("SAVE", wanted->saves, "saves of one game, one for each value").required();
  command.add_option("--value", wanted->value, "what the game shows for the first save")
      .type_name("VALUE")
      .required();
  command
      .add_option("--then", wanted->then,
                  "for each further save: a value, or unchanged, changed, larger, smaller")
      .type_name("VALUE");
  command.add_flag("--text", wanted->text, "the value is a name or other text");
  command.add_option("--most", wanted->most, "how many places to show").show_default();
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      std::vector<FieldHint> hints;
      if (wanted->then.size() + 1 != wanted->saves.size())
        return fail(
            Trouble::usage, Code::usage,
            fmt::format("{} and {} do not go together", counted(wanted->saves.size(), "save"),
                        counted(wanted->then.size() + 1, "value")),
            "give --value for the first save, and --then for each further one");
      for (std::size_t i = 0; i < wanted->saves.size(); ++i)
        hints.push_back({wanted->saves[i], i == 0 ? wanted->value : wanted->then[i - 1]});
      const auto found = find_fields(session, hints, wanted->text, wanted->most);
      if (!found) return tl::unexpected(found.error());
      run.print(run.json ? json_text(*found) : found_fields_text(*found, run.style()));
      if (found->found.empty()) run.status = exit_status(Trouble::stopped);
      return {};
    });
  });
}

void add_guess(Command& field, Run& run) {
  auto saves = std::make_shared<std::vector<std::string>>();
  Command& command = add_command(
      field, run, "guess", "Guess the checksums and copies in a save",
      "bayswap field guess \"workshop/older/Tin Orchard.sav\" \"workshop/Tin Orchard.sav\"");
  command.add_option("SAVE", *saves, "saves of one game; with several, fewer guesses are wrong")
      .required();
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      constexpr std::size_t kMost = 3;
      const auto found = guess_fields(session, *saves, kMost);
      if (!found) return tl::unexpected(found.error());
      run.print(run.json ? json_text(*found) : found_fields_text(*found, run.style()));
      if (found->found.empty()) run.status = exit_status(Trouble::stopped);
      return {};
    });
  });
}

}  // namespace

void add_field(Command& app, Run& run) {
  Command& field = app.add_command("field", "Values inside a save: show, change, check");
  field.needs_command();
  field.footer("Example:\n  bayswap field show \"workshop/Tin Orchard.sav\"");
  add_field_show(field, run);
  add_set(field, run);
  add_field_check(field, run);
  add_seal(field, run);
  add_diff(field, run);
  add_field_take(field, run);
  add_field_put(field, run);
  add_find(field, run);
  add_guess(field, run);
}

}  // namespace bayswap::cli
