#include "bayswap/bay.h"

#include <fmt/format.h>

#include <algorithm>
#include <memory>

#include "bytes/text.h"
#include "cli/commands/commands.h"
#include "cli/render/json.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

std::string bays_text(const std::vector<Bay>& bays, const Run& run, bool surveyed) {
  if (run.json) {
    Json list = Json::array();
    for (const Bay& bay : bays) list.push_back(to_json(bay));
    return dump(with_schema("bays", std::move(list))) + "\n";
  }
  std::string text;
  for (const Bay& bay : bays)
    text += (text.empty() ? "" : "\n") + bay_text(bay, run.style(), surveyed);
  return text.empty() ? "no bays yet; make one with: bayswap bay learn NAME FOLDER\n" : text;
}

void add_learn(CLI::App& bay, Run& run) {
  struct Arguments {
    std::string name;
    std::string place;
  };
  auto arguments = std::make_shared<Arguments>();
  CLI::App* command = add_command(bay, run, "learn", "Work out where a program keeps its saves",
                                  "bayswap bay learn den ~/emulation");
  command->add_option("NAME", arguments->name, "what the bay is called from now on")->required();
  command->add_option("PATH", arguments->place, "its folder, with ROMs and saves in it")
      ->required();
  command->callback([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto bay =
          learn_bay(*session.storage, session.catalog, arguments->name, arguments->place);
      if (!bay) return tl::unexpected(bay.error());
      auto kept = session.bays.put_learned(*session.storage, session.bays_file(), *bay);
      if (!kept) return tl::unexpected(kept.error());
      // What was learned is surveyed already; the user's own shelves are not.
      if (std::ranges::any_of(kept->shelves, [](const Shelf& shelf) { return shelf.of == 0; }))
        survey_bay(*session.storage, session.catalog, *kept);
      run.print(bays_text({*kept}, run, true));
      return {};
    });
  });
}

void add_show(CLI::App& bay, Run& run) {
  auto name = std::make_shared<std::string>();
  CLI::App* command = add_command(bay, run, "show", "Shelves of a bay, and how much they explain",
                                  "bayswap bay show den");
  command->add_option("NAME", *name, "the bay; all without it");
  command->callback([name, &run] {
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

void add_list(CLI::App& bay, Run& run) {
  CLI::App* command =
      add_command(bay, run, "list", "The bays and their patterns", "bayswap bay list");
  command->callback([&run] {
    run.with_session([&](Session& session) -> Result<void> {
      run.print(bays_text(session.bays.bays(), run, false));
      return {};
    });
  });
}

void add_forget(CLI::App& bay, Run& run) {
  auto name = std::make_shared<std::string>();
  CLI::App* command = add_command(bay, run, "forget", "Drop the rules of a bay; its files stay",
                                  "bayswap bay forget ferry");
  command->add_option("NAME", *name, "the bay")->required();
  command->callback([name, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      if (auto gone = session.bays.remove(*session.storage, session.bays_file(), *name); !gone)
        return gone;
      run.print(run.json ? dump(with_schema("forgotten", *name)) + "\n"
                         : fmt::format("bay {} is forgotten; its files were not touched\n", *name));
      return {};
    });
  });
}

}  // namespace

void add_bay(CLI::App& app, Run& run) {
  CLI::App* bay = app.add_subcommand("bay", "Places that hold saves, and their rules");
  bay->require_subcommand(1);
  bay->footer("Example:\n  bayswap bay learn den ~/emulation");
  add_learn(*bay, run);
  add_show(*bay, run);
  add_list(*bay, run);
  add_forget(*bay, run);
}

}  // namespace bayswap::cli
