#include "bayswap/bay.h"

#include <fmt/core.h>

#include <algorithm>
#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

std::string bays_text(const std::vector<Bay>& bays, const Run& run, bool surveyed) {
  if (run.json) return json_text(bays);
  std::string text;
  for (const Bay& bay : bays)
    text += (text.empty() ? "" : "\n") + bay_text(bay, run.style(), surveyed);
  return text.empty() ? "no bays yet; make one with: bayswap bay learn NAME FOLDER\n" : text;
}

void add_learn(Command& bay, Run& run) {
  struct Arguments {
    std::string name;
    std::string place;
    std::string system;
  };
  auto arguments = std::make_shared<Arguments>();
  Command& command = add_command(bay, run, "learn", "Work out where a program keeps its saves",
                                 "bayswap bay learn den ~/emulation");
  command.add_option("NAME", arguments->name, "what the bay is called from now on").required();
  command.add_option("PATH", arguments->place, "its folder, with ROMs and saves in it").required();
  command
      .add_option("--system", arguments->system,
                  "of title folders, where their names do not tell it")
      .type_name("ID");
  command.on_call([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      std::optional<System> system;
      if (!arguments->system.empty()) {
        const auto said = said_system(arguments->system);
        if (!said) return tl::unexpected(said.error());
        system = *said;
      }
      const auto bay = learn_bay(*session.storage, session.catalog, arguments->name,
                                 arguments->place, session.progress, system);
      if (!bay) return tl::unexpected(bay.error());
      const auto old = session.bays.find(arguments->name);
      const std::vector<Shelf> before = old ? (*old)->shelves : std::vector<Shelf>{};
      auto kept = session.bays.put_learned(*session.storage, session.bays_file(), *bay);
      if (!kept) return tl::unexpected(kept.error());
      // What was learned is surveyed already; the user's own shelves are not.
      if (std::ranges::any_of(kept->shelves, [](const Shelf& shelf) { return shelf.of == 0; }))
        survey_bay(*session.storage, session.catalog, *kept);
      run.print(bays_text({*kept}, run, true));
      if (!run.json && old) run.print(changes_text(before, kept->shelves, run.style()));
      return {};
    });
  });
}

void add_show(Command& bay, Run& run) {
  auto name = std::make_shared<std::string>();
  Command& command = add_command(bay, run, "show", "Shelves of a bay, and how much they explain",
                                 "bayswap bay show den");
  command.add_option("NAME", *name, "the bay; all without it");
  command.on_call([name, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      std::vector<Bay> bays = session.bays.bays();
      if (!name->empty()) {
        const auto one = session.bays.find(*name);
        if (!one) return tl::unexpected(one.error());
        bays = {**one};
      }
      for (Bay& shown : bays) {
        const auto place = session.storage->list(shown.place);
        if (!place && !name->empty()) return tl::unexpected(place.error());
        if (place) survey_bay(*session.storage, session.catalog, shown);
      }
      run.print(bays_text(bays, run, true));
      return {};
    });
  });
}

void add_list(Command& bay, Run& run) {
  Command& command =
      add_command(bay, run, "list", "The bays and their patterns", "bayswap bay list");
  command.on_call([&run] {
    run.with_session([&](Session& session) -> Result<void> {
      run.print(bays_text(session.bays.bays(), run, false));
      return {};
    });
  });
}

void add_forget(Command& bay, Run& run) {
  auto name = std::make_shared<std::string>();
  Command& command = add_command(bay, run, "forget", "Drop the rules of a bay; its files stay",
                                 "bayswap bay forget ferry");
  command.add_option("NAME", *name, "the bay").required();
  command.on_call([name, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      if (auto gone = session.bays.remove(*session.storage, session.bays_file(), *name); !gone)
        return gone;
      run.print(run.json ? json_text("forgotten", *name)
                         : fmt::format("bay {} is forgotten; its files were not touched\n", *name));
      return {};
    });
  });
}

}  // namespace

void add_bay(Command& app, Run& run) {
  Command& bay = app.add_command("bay", "Places that hold saves, and their rules");
  bay.needs_command();
  bay.footer("Example:\n  bayswap bay learn den ~/emulation");
  add_learn(bay, run);
  add_show(bay, run);
  add_list(bay, run);
  add_forget(bay, run);
}

}  // namespace bayswap::cli
