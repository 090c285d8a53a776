// The versions on a hub: listed, and written as plain files.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/sync.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "core/naming/file_name.h"
#include "files/atomic_write.h"
#include "reading/part_layouts.h"
#include "sync/joined_hub.h"
#include "sync/taken_version.h"
#include "sync/version_content.h"

namespace bayswap {
namespace {

constexpr std::size_t kShortId = 8;  // digits

std::vector<const SyncedSave*> saves_named(const JoinedHub& joined, const std::string& text) {
  std::vector<const SyncedSave*> found;
  for (const SyncedSave& save : joined.graph().saves())
    if (text.empty() || is_named(joined.graph().versions()[save.heads.front()].identity, text))
      found.push_back(&save);
  return found;
}

Error nothing_called(const std::string& text) {
  return {Trouble::stopped,
          Code::no_match,
          fmt::format("there is no save called '{}' on the hub", safe_text(text)),
          {"see what it has: '", Remedy::show_hub, "'"}};
}

// Parents first.
std::vector<const SaveVersion*> in_order(const VersionGraph& graph, const SyncedSave& save) {
  std::vector<const SaveVersion*> versions;
  for (const std::size_t place : save.versions) versions.push_back(&graph.versions()[place]);
  return versions;
}

// A chip as a file in the hardware's own order, everything else part by part.
std::vector<std::pair<Path, Bytes>> files_of(const Save& save) {
  std::vector<std::pair<Path, Bytes>> files;
  const Layout* layout = save.kind == Kind::battery && save.parts.size() == 1
                             ? native_layout(save.system, save.parts.front())
                             : nullptr;
  if (layout != nullptr)
    if (auto written = layout->write({{&save, 1}, std::nullopt, {}})) {
      files.emplace_back(layout->info().id + ".sav", std::move(written->bytes));
      return files;
    }
  for (const Part& part : save.parts) {
    Path path;
    for (const Path& step : Path(part.name)) path /= safe_file_name(step.string());
    files.emplace_back(std::move(path), part.data);
  }
  return files;
}

}  // namespace

Result<std::vector<SaveHistory>> hub_history(Session& session, const std::string& text) {
  const auto joined = JoinedHub::open(session, hub_state(session));
  if (!joined) return tl::unexpected(joined.error());
  std::vector<SaveHistory> saves;
  for (const SyncedSave* save : saves_named(*joined, text)) {
    SaveHistory history;
    for (const SaveVersion* version : in_order(joined->graph(), *save)) {
      history.title = title_of(version->identity);
      Version shown;
      shown.id = "@" + version->id.substr(0, kShortId);
      shown.time_ns = version->time_ns;
      shown.size = version->size();
      shown.reason =
          fmt::format("{}:{}", joined->name_of(version->device), safe_text(version->bay));
      shown.whole = !joined->let_go().contains(version->id);
      shown.there_now = std::ranges::any_of(save->heads, [&](std::size_t head) {
        return joined->graph().versions()[head].id == version->id;
      });
      history.versions.push_back(std::move(shown));
    }
    history.bay = fmt::format("on the hub {}", joined->place());
    saves.push_back(std::move(history));
  }
  if (saves.empty() && !text.empty()) return tl::unexpected(nothing_called(text));
  return saves;
}

Result<std::vector<Path>> export_hub(Session& session, const std::string& text,
                                     const Path& folder) {
  Storage& storage = *session.storage;
  if (!is_missing(storage, folder))
    return fail(Trouble::stopped, Code::name_taken,
                fmt::format("{}: is there already", safe_text(folder.string())),
                "name a folder that does not exist yet");
  auto joined = JoinedHub::open(session, hub_state(session));
  if (!joined) return tl::unexpected(joined.error());
  std::vector<Path> written;
  const auto saves = saves_named(*joined, text);
  if (saves.empty()) return tl::unexpected(nothing_called(text));
  for (const SyncedSave* save : saves) {
    for (const SaveVersion* version : in_order(joined->graph(), *save)) {
      if (auto on = session.proceed(Work::versions, written.size(), 0); !on)
        return tl::unexpected(on.error());
      const auto content = content_of(joined->hub(), *version);
      if (!content && content.error().trouble == Trouble::place)
        return tl::unexpected(content.error());
      if (!content) continue;  // let go, or damaged; the rest is not
      const Path place =
          folder / safe_file_name(title_of(version->identity)) /
          fmt::format("{} {}", file_time(version->time_ns), version->id.substr(0, kShortId));
      for (const auto& [path, bytes] : files_of(*content)) {
        const Path file = place / path;
        if (auto made = make_folders(storage, file.parent_path()); !made)
          return tl::unexpected(made.error());
        constexpr std::uint32_t kMode = 0666;
        if (auto made = storage.create(file, bytes, kMode); !made)
          return tl::unexpected(made.error());
        (void)storage.set_modified(file, version->time_ns);
        written.push_back(file);
      }
    }
  }
  return written;
}

}  // namespace bayswap
