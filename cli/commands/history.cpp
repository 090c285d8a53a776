#include "cli/render/history.h"

#include <fmt/core.h>

#include <memory>

#include "bayswap/sync.h"
#include "bayswap/versions.h"
#include "cli/commands/commands.h"
#include "cli/commands/show_synced.h"
#include "cli/render/json.h"
#include "cli/render/page.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

constexpr const char* kSave = "a save's path, BAY:NAME, or a part of its game's title";

void add_tidy(Command& history, Run& run) {
  auto retention = std::make_shared<Retention>();
  auto plan = std::make_shared<bool>(false);
  Command& command = add_command(history, run, "tidy", "Let old versions go, never the last one",
                                 "bayswap history tidy --plan");
  command.add_option("--days", retention->days, "everything younger stays")
      .between(0, 36'500)
      .show_default();
  command.add_option("--versions", retention->versions, "so many of each save stay")
      .between(1, 100'000)
      .show_default();
  command.add_flag("--plan", *plan, "only say what would go");
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
  Command& command = add_command(history, run, "verify", "Hash everything that history holds anew",
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
  command.add_option("SAVE", *save, fmt::format("{}; none: all of them", kSave));
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
      add_command(app, run, "history", "Versions of saves: what was there, when and why",
                  "bayswap history \"Copper Tide\"");
  history.add_option("SAVE", request->save, fmt::format("{}; none: all of them", kSave));
  auto hub = std::make_shared<bool>(false);
  history.add_flag("--hub", *hub, "the versions on the hub, from all devices");
  auto page = std::make_shared<PageChoice>();
  add_page(history, *page);
  history.add_flag("--replace", page->replace, "overwrite a page that exists");
  add_tidy(history, run);
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
  Command& command =
      add_command(app, run, "restore", "Bring an older version back; undo takes that back",
                  "bayswap restore \"den:Copper Tide\" --at v2");
  command.add_option("SAVE", request->save, kSave).required();
  command
      .add_option("--at", request->at, "the version, as 'bayswap history' shows it; @ID: the hub's")
      .type_name("VERSION")
      .required();
  command.add_flag("--plan", request->plan, "only say what would be done");
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
  Command& command = add_command(app, run, "keep", "Put what is there now into history",
                                 "bayswap keep den --reason \"before the update\"");
  command.add_option("PLACE", request->places, "bays, files or folders").required();
  command.add_option("--reason", request->reason, "why, for people").type_name("TEXT");
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
