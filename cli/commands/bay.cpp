#include "bayswap/bay.h"
#include "bayswap/cart.h"

#include <fmt/core.h>

#include <algorithm>
#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/cart.h"
#include "cli/render/json/json.h"
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

// A reader needs no rules: what is in it says what it is. It only has to answer.
Result<void> learn_reader(Session& session, const std::string& name, const std::string& port,
                          Run& run) {
  const auto bay = reader_bay(name, port);
  if (!bay) return tl::unexpected(bay.error());
  CartAccess access;
  access.port = port;
  const auto cart = look_cart(session, access);
  if (!cart && cart.error().code != Code::no_cartridge) return tl::unexpected(cart.error());
  if (auto kept = session.bays.put(*session.storage, session.bays_file(), *bay); !kept)
    return tl::unexpected(kept.error());
  run.print(run.json ? json_text(std::vector<Bay>{*bay})
                     : bay_text(*bay, run.style(), true) +
                           (cart ? cart_text(*cart, run.style()) : std::string()));
  return {};
}

void add_learn(Command& bay, Run& run) {
  struct Arguments {
    std::string name;
    std::string place;
    std::string system;
    std::string port;
    std::optional<Path> roms;
  };
  auto arguments = std::make_shared<Arguments>();
  Command& command = add_command(bay, run, "learn", "Work out where a program keeps its saves",
                                 "bayswap bay learn den den");
  command.add_option("NAME", arguments->name, "a name for the bay").required();
  command.add_option("PATH", arguments->place, "the folder with its saves (and ROMs)");
  command.add_option("--roms", arguments->roms, "the folder of their ROMs, if they lie elsewhere")
      .type_name("FOLDER");
  command
      .add_option(
          "--port", arguments->port,
          "a cartridge reader instead of a folder: its serial port, pty:PATH or run:PROGRAM")
      .type_name("PORT");
  command
      .add_option("--system", arguments->system,
                  "the system of title folders, if their names don't tell")
      .type_name("ID");
  command.on_call([arguments, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      if (!arguments->port.empty())
        return learn_reader(session, arguments->name, arguments->port, run);
      if (arguments->place.empty())
        return fail(Trouble::usage, Code::usage, "no folder is named",
                    "name the folder, or a cartridge reader with --port PORT");
      std::optional<System> system;
      if (!arguments->system.empty()) {
        const auto said = said_system(arguments->system);
        if (!said) return tl::unexpected(said.error());
        system = *said;
      }
      const auto bay = learn_bay(*session.storage, session.catalog, arguments->name,
                                 arguments->place, session.progress, system, arguments->roms);
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

void add_bay_show(Command& bay, Run& run) {
  auto name = std::make_shared<std::string>();
  Command& command =
      add_command(bay, run, "show", "Show a bay's rules, and how many saves they explain",
                  "bayswap bay show den");
  command.add_option("NAME", *name, "the bay; default: all of them");
  command.on_call([name, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      std::vector<Bay> bays = session.bays.bays();
      if (!name->empty()) {
        const auto one = session.bays.find(*name);
        if (!one) return tl::unexpected(one.error());
        bays = {**one};
      }
      for (Bay& shown : bays) {
        if (shown.port) continue;
        const auto place = session.storage->list(shown.place);
        if (!place && !name->empty()) return tl::unexpected(place.error());
        if (place) survey_bay(*session.storage, session.catalog, shown);
      }
      run.print(bays_text(bays, run, true));
      return {};
    });
  });
}

void add_bay_list(Command& bay, Run& run) {
  Command& command =
      add_command(bay, run, "list", "List the bays and their patterns", "bayswap bay list");
  command.on_call([&run] {
    run.with_session([&](Session& session) -> Result<void> {
      run.print(bays_text(session.bays.bays(), run, false));
      return {};
    });
  });
}

void add_forget(Command& bay, Run& run) {
  auto name = std::make_shared<std::string>();
  Command& command = add_command(bay, run, "forget", "Forget the rules of a bay; its files stay",
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
  Command& bay = app.add_command("bay", "Places that hold saves: learn, show, list, forget");
  bay.needs_command();
  bay.footer("Example:\n  bayswap bay learn den den");
  add_learn(bay, run);
  add_bay_show(bay, run);
  add_bay_list(bay, run);
  add_forget(bay, run);
}

}  // namespace bayswap::cli
