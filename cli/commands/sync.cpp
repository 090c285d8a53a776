#include "bayswap/sync.h"

#include <chrono>
#include <memory>

#include "bayswap/watch.h"

#include "cli/commands/show_synced.h"
#include "cli/interrupt.h"
#include "cli/render/json/json.h"
#include "cli/render/page.h"
#include "cli/render/sync.h"

namespace bayswap::cli {
namespace {

// The place first: what could not be reached says nothing of conflicts.
int status_of(const SyncReport& report) {
  if (report.failed) return exit_status(report.failed->trouble);
  if (report.damaged) return exit_status(Trouble::input);
  return report.needs_somebody() ? exit_status(Trouble::stopped) : 0;
}

void add_join(Command& hub, Run& run) {
  auto where = std::make_shared<std::string>();
  auto device = std::make_shared<std::optional<std::string>>();
  Command& command = add_command(hub, run, "join", "Join a hub, or start one in an empty folder",
                                 "bayswap hub join stick --as den");
  auto seal = std::make_shared<bool>(false);
  command.add_option("FOLDER", *where, "the hub's folder or URL; an empty folder becomes a new hub")
      .required();
  command.add_option("--as", *device, "name of this device on the hub; default: the machine's name")
      .type_name("DEVICE");
  command.add_flag("--seal", *seal, "encrypt a new hub, so that only your devices can read it");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = join_hub(session, *where, *device, *seal);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : hub_text(*report, run.style()));
      return {};
    });
  });
}

void add_hub_show(Command& hub, Run& run) {
  Command& command = add_command(hub, run, "show", "Show the hub's devices, and what it holds",
                                 "bayswap hub show");
  auto page = std::make_shared<PageChoice>();
  add_page(command, *page);
  command.add_flag("--replace", page->replace, "overwrite a page that exists");
  command.on_call([page, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = show_hub(session);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : hub_text(*report, run.style()));
      if (page->file) return write_page(session, run, "hub show", *page, hub_page(*report));
      return {};
    });
  });
}

void add_leave(Command& hub, Run& run) {
  Command& command =
      add_command(hub, run, "leave", "Leave the hub; every save stays, here and on the hub",
                  "bayswap hub leave");
  command.on_call([&run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto where = leave_hub(session);
      if (!where) return tl::unexpected(where.error());
      run.print(run.json ? json_text("left", *where)
                         : path_text(*where) + " is left; what lies there and here stays\n");
      return {};
    });
  });
}

void add_hub_check(Command& hub, Run& run) {
  Command& command =
      add_command(hub, run, "check", "Read and hash everything on the hub", "bayswap hub check");
  command.on_call([&run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto checked = check_hub(session);
      if (!checked) return tl::unexpected(checked.error());
      run.print(run.json ? json_text(*checked) : checked_text(*checked, run.style()));
      if (!checked->damaged.empty()) run.status = exit_status(Trouble::input);
      return {};
    });
  });
}

void add_hub_tidy(Command& hub, Run& run) {
  struct Wanted {
    std::size_t versions = 10;
    int days = 90;
    bool plan = false;
  };
  auto wanted = std::make_shared<Wanted>();
  Command& command =
      add_command(hub, run, "tidy", "Delete old versions on the hub, never a newest one",
                  "bayswap hub tidy --plan");
  command.add_option("--days", wanted->days, "keep what is younger than this many days")
      .between(0, 36'500)
      .show_default();
  command.add_option("--versions", wanted->versions, "keep at least so many of each save")
      .between(1, 100'000)
      .show_default();
  command.add_flag("--plan", wanted->plan, "show what would be deleted, and change nothing");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto tidied = tidy_hub(session, wanted->versions, wanted->days, wanted->plan);
      if (!tidied) return tl::unexpected(tidied.error());
      run.print(run.json ? json_text(*tidied) : tidied_text(*tidied, wanted->plan, run.style()));
      return {};
    });
  });
}

}  // namespace

void show_synced(const SyncReport& report, Run& run) {
  run.print(run.json ? json_text(report) : sync_text(report, run.style()));
  run.status = status_of(report);
}

void add_sync(Command& app, Run& run) {
  auto request = std::make_shared<SyncRequest>();
  auto codes = std::make_shared<std::vector<std::string>>();
  auto no_states = std::make_shared<bool>(false);
  Command& command = add_command(
      app, run, "sync", "Bring the newest progress to every device; conflicts wait for you",
      "bayswap sync den --plan");
  command.add_option("BAY", request->bays, "bays to sync; default: all");
  command.add_flag("--plan", request->plan, "show what would be done, and change nothing");
  command.add_flag("--no-states", *no_states, "leave save states out");
  command
      .add_option("--take", request->take,
                  "settle this game's conflict: say which version with --from")
      .type_name("GAME");
  command.add_option("--from", request->take_from, "the version to take")
      .type_name("DEVICE[:BAY][@VERSION]");
  command
      .add_option("--bring", request->bring,
                  "bring a save that is missing here, or that matches no game here")
      .type_name("GAME");
  command.add_option("--forget", request->forget, "accept that this save was deleted here")
      .type_name("GAME");
  add_accept(command, *codes);
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      auto accept = accepted_codes(*codes);
      if (!accept) return tl::unexpected(accept.error());
      request->accept = std::move(*accept);
      request->states = !*no_states;
      const auto report = sync(session, *request);
      if (!report) return tl::unexpected(report.error());
      show_synced(*report, run);
      return {};
    });
  });
}

void add_watch(Command& app, Run& run) {
  auto request = std::make_shared<WatchRequest>();
  auto no_states = std::make_shared<bool>(false);
  auto quiet = std::make_shared<int>(2);
  Command& command = add_command(app, run, "watch", "Sync whenever a save changes, until CTRL-C",
                                 "bayswap watch den");
  command.add_option("BAY", request->sync.bays, "bays to watch; default: all");
  command.add_option("--quiet", *quiet, "seconds without a change before a save is synced")
      .between(0, 3600)
      .show_default();
  command.add_flag("--no-states", *no_states, "leave save states out");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const InterruptWatch interrupt;
      request->sync.states = !*no_states;
      request->quiet = std::chrono::seconds(*quiet);
      request->go_on = [] { return !interrupted(); };
      request->tell = [&](const WatchEvent& event) {
        run.print(run.json ? json_text(event) : event_text(event, run.style()));
        run.surroundings.out.flush();
      };
      return watch(session, *request);
    });
  });
}

void add_hub(Command& app, Run& run) {
  Command& hub =
      app.add_command("hub", "Where your devices meet: a folder that all of them can reach");
  hub.needs_command();
  hub.footer("Example:\n  bayswap hub join stick");
  add_join(hub, run);
  add_hub_show(hub, run);
  add_leave(hub, run);
  add_hub_check(hub, run);
  add_hub_tidy(hub, run);
}

}  // namespace bayswap::cli
