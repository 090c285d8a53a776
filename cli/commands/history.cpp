#include "cli/render/history.h"

#include <memory>

#include "bayswap/versions.h"
#include "cli/commands/commands.h"
#include "cli/render/text.h"

namespace bayswap::cli {
namespace {

constexpr const char* kSave = "a save's path, BAY:NAME, or a part of its game's title";

void add_tidy(CLI::App& history, Run& run) {
  auto retention = std::make_shared<Retention>();
  auto plan = std::make_shared<bool>(false);
  CLI::App* command = add_command(history, run, "tidy", "Let old versions go, never the last one",
                                  "bayswap history tidy --plan");
  command->add_option("--days", retention->days, "everything younger stays")
      ->check(CLI::Range(0, 36'500))
      ->capture_default_str();
  command->add_option("--versions", retention->versions, "so many of each save stay")
      ->check(CLI::Range(1, 100'000))
      ->capture_default_str();
  command->add_flag("--plan", *plan, "only say what would go");
  command->callback([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = tidy_history(session, *retention, *plan);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? dump(to_json(*report)) + "\n" : tidy_text(*report, *plan, run.style()));
      return {};
    });
  });
}

void add_verify(CLI::App& history, Run& run) {
  CLI::App* command = add_command(history, run, "verify", "Hash everything that history holds anew",
                                  "bayswap history verify");
  command->callback([&run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = verify_history(session);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? dump(to_json(*report)) + "\n" : verify_text(*report, run.style()));
      if (!report->damaged.empty()) run.status = static_cast<int>(Trouble::input);
      return {};
    });
  });
}

void add_export(CLI::App& history, Run& run) {
  auto save = std::make_shared<std::string>();
  auto out = std::make_shared<std::string>();
  CLI::App* command = add_command(history, run, "export", "Write versions as plain files",
                                  "bayswap history export \"Copper Tide\" -o old-saves");
  command->add_option("SAVE", *save, std::string(kSave) + "; none: all of them");
  command->add_option("-o,--out", *out, "a new folder")->type_name("DIR")->required();
  command->callback([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto files = export_history(session, *save, *out);
      if (!files) return tl::unexpected(files.error());
      if (run.json) {
        Json outputs = Json::array();
        for (const Path& file : *files) outputs.push_back({{"path", file.string()}});
        run.print(dump(with_schema("outputs", std::move(outputs))) + "\n");
        return {};
      }
      run.print(std::to_string(files->size()) + " files written to " + path_text(*out) + "\n");
      return {};
    });
  });
}

}  // namespace

void add_history(CLI::App& app, Run& run) {
  auto request = std::make_shared<HistoryRequest>();
  CLI::App* history =
      add_command(app, run, "history", "Versions of saves: what was there, when and why",
                  "bayswap history \"Copper Tide\"");
  history->add_option("SAVE", request->save, std::string(kSave) + "; none: all of them");
  add_tidy(*history, run);
  add_verify(*history, run);
  add_export(*history, run);
  history->callback([=, &run] {
    if (!history->get_subcommands().empty()) return;
    run.with_session([&](Session& session) -> Result<void> {
      request->hashes = run.json;
      const auto saves = list_history(session, *request);
      if (!saves) return tl::unexpected(saves.error());
      if (!run.json) {
        run.print(history_text(*saves, run.style()));
        return {};
      }
      Json list = Json::array();
      for (const SaveHistory& save : *saves) list.push_back(to_json(save));
      run.print(dump(with_schema("saves", std::move(list))) + "\n");
      return {};
    });
  });
}

void add_restore(CLI::App& app, Run& run) {
  auto request = std::make_shared<RestoreRequest>();
  CLI::App* command =
      add_command(app, run, "restore", "Bring an older version back; undo takes that back",
                  "bayswap restore \"den:Copper Tide\" --at v12");
  command->add_option("SAVE", request->save, kSave)->required();
  command->add_option("--at", request->at, "the version, as 'bayswap history' shows it")
      ->type_name("VERSION")
      ->required();
  command->add_flag("--plan", request->plan, "only say what would be done");
  command->callback([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = restore(session, *request);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? dump(to_json(*report)) + "\n"
                         : report_text(*report, run.style(), Doing::restoring));
      return {};
    });
  });
}

void add_keep(CLI::App& app, Run& run) {
  auto request = std::make_shared<KeepRequest>();
  CLI::App* command = add_command(app, run, "keep", "Put what is there now into history",
                                  "bayswap keep den --reason \"before the update\"");
  command->add_option("PLACE", request->places, "bays, files or folders")->required();
  command->add_option("--reason", request->reason, "why, for people")->type_name("TEXT");
  command->callback([=, &run] {
    run.with_session([&](Session& session) -> Result<void> {
      const auto report = keep(session, *request);
      if (!report) return tl::unexpected(report.error());
      run.print(run.json ? dump(to_json(*report)) + "\n" : kept_text(*report, run.style()));
      return {};
    });
  });
}

}  // namespace bayswap::cli
