#include "cli/render/history.h"

#include <fmt/core.h>

#include <memory>

#include "bayswap/sync.h"
#include "bayswap/versions.h"
#include "cli/commands/commands.h"
#include "cli/commands/show_synced.h"
#include "cli/render/json/json.h"
#include "cli/render/page.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

constexpr const char* kSave = "a path, BAY:NAME, or part of a title";

void add_history_tidy(Command& history, Run& run) {
  auto retention = std::make_shared<Retention>();
  auto plan = std::make_shared<bool>(false);
  Command& command = add_command(history, run, "tidy", "Delete old versions, never the last one",
                                 "bayswap history tidy --plan");
  command.add_option("--days", retention->days, "keep what is younger than this many days")
      .between(0, 36'500)
      .show_default();
  command.add_option("--versions", retention->versions, "keep at least so many of each save")
      .between(1, 100'000)
      .show_default();
  command.add_flag("--plan", *plan, "show what would be deleted, and change nothing");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = tidy_history(session, *retention, *plan);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : tidy_text(*report, *plan, run.style()));
      return {};
    });
  });
}

void add_verify(Command& history, Run& run) {
  Command& command = add_command(history, run, "verify", "Check everything that history holds",
                                 "bayswap history verify");
  command.on_call([&run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = verify_history(session);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : verify_text(*report, run.style()));
      if (!report->damaged.empty()) run.status = exit_status(Trouble::input);
      return {};
    });
  });
}

void add_export(Command& history, Run& run) {
  auto save = std::make_shared<std::string>();
  auto out = std::make_shared<std::string>();
  auto hub = std::make_shared<bool>(false);
  Command& command = add_command(history, run, "export", "Write versions as plain files",
                                 "bayswap history export \"Copper Tide\" -o old-saves");
  command.add_option("SAVE", *save, fmt::format("{}; default: all", kSave));
  command.add_option("-o,--out", *out, "a new folder").type_name("DIR").required();
  command.add_flag("--hub", *hub, "the versions on the hub");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto files =
          *hub ? export_hub(session, *save, *out) : export_history(session, *save, *out);
      if (!files) return tl::unexpected(files.error());
      run.print(run.json ? json_text(*files)
                         : fmt::format("{} files written to {}\n", files->size(), path_text(*out)));
      return {};
    });
  });
}

// A version on the hub becomes the newest one, everywhere.
Result<void> restore_from_hub(Session& session, const RestoreRequest& request, Run& run) {
  SyncRequest taking;
  taking.take = request.save;
  taking.take_from = request.at;
  taking.plan = request.plan;
  const auto report = sync(session, taking);
  if (!report) return tl::unexpected(report.error());
  show_synced(*report, run);
  return {};
}

}  // namespace

void add_history(Command& app, Run& run) {
  auto request = std::make_shared<HistoryRequest>();
  Command& history =
      add_command(app, run, "history", "List the versions of a save: what was there, when and why",
                  "bayswap history \"Copper Tide\"");
  history.add_option("SAVE", request->save, fmt::format("{}; default: all", kSave));
  auto hub = std::make_shared<bool>(false);
  history.add_flag("--hub", *hub, "the versions on the hub, from all devices");
  auto page = std::make_shared<PageChoice>();
  add_page(history, *page);
  history.add_flag("--replace", page->replace, "overwrite a page that exists");
  add_history_tidy(history, run);
  add_verify(history, run);
  add_export(history, run);
  history.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      request->hashes = run.json;
      const auto saves =
          *hub ? hub_history(session, request->save.value_or("")) : list_history(session, *request);
      if (!saves) return tl::unexpected(saves.error());
      run.print(run.json ? json_text(*saves) : history_text(*saves, run.style()));
      if (page->file) return write_page(session, run, "history", *page, history_page(*saves));
      return {};
    });
  });
}

void add_restore(Command& app, Run& run) {
  auto request = std::make_shared<RestoreRequest>();
  Command& command = add_command(app, run, "restore", "Put an older version back in place",
                                 "bayswap restore \"den:Copper Tide\" --at v2");
  command.add_option("SAVE", request->save, kSave).required();
  command
      .add_option("--at", request->at,
                  "a version that 'bayswap history' shows, or @ID for one on the hub")
      .type_name("VERSION")
      .required();
  command.add_flag("--plan", request->plan, "show what would be done, and change nothing");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      if (request->at.starts_with('@')) return restore_from_hub(session, *request, run);
      const auto report = restore(session, *request);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report)
                         : report_text(*report, run.style(), Doing::restoring));
      return {};
    });
  });
}

void add_keep(Command& app, Run& run) {
  auto request = std::make_shared<KeepRequest>();
  Command& command = add_command(app, run, "keep", "Back up saves as they are now",
                                 "bayswap keep den --reason \"before the update\"");
  command.add_option("PLACE", request->places, "bays, files or folders").required();
  command.add_option("--reason", request->reason, "a note for yourself").type_name("WORDS");
  command.on_call([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = keep(session, *request);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? json_text(*report) : kept_text(*report, run.style()));
      return {};
    });
  });
}

}  // namespace bayswap::cli
