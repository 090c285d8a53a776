// Retention, checking and taking out of what history holds.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card_file.h"
#include "bayswap/versions.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "core/naming/file_name.h"
#include "files/atomic_write.h"
#include "files/clock.h"
#include "moves/mover.h"
#include "moves/past_saves.h"
#include "places/find_folders.h"
#include "places/inspect.h"

namespace bayswap {
namespace {

constexpr std::int64_t kDay = 86'400'000'000'000;  // nanoseconds

// What each file was over time: newest first, each content once.
std::map<std::string, std::vector<std::pair<std::int64_t, Digest>>> versions_of_files(
    const std::vector<MoveRecord>& moves) {
  std::map<std::string, std::vector<std::pair<std::int64_t, Digest>>> files;
  const auto add = [&](const std::string& path, std::int64_t time, const FileVersion& version) {
    if (!version.digest) return;
    auto& versions = files[path];
    std::erase_if(versions, [&](const auto& other) { return other.second == *version.digest; });
    versions.insert(versions.begin(), {time, *version.digest});
  };
  for (const MoveRecord& move : moves)
    for (const Step& step : move.steps) {
      add(step.path, move.time_ns, step.before);
      add(step.path, move.time_ns, step.after);
    }
  return files;
}

}  // namespace

Result<TidyReport> tidy_history(Session& session, const Retention& retention, bool plan) {
  TidyReport report;
  if (is_missing(*session.storage, session.history_file())) return report;
  auto history = recovered_history(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  const auto moves = history->past_moves();
  if (!moves) return tl::unexpected(moves.error());
  if (const auto info = session.storage->info(session.history_file())) report.before = info->size;
  report.after = report.before;
  const std::int64_t oldest = now_ns() - std::int64_t{retention.days} * kDay;
  std::set<Digest> keep;
  std::set<Digest> known;
  for (const auto& [path, versions] : versions_of_files(*moves))
    for (std::size_t i = 0; i < versions.size(); ++i) {
      const auto& [time, digest] = versions[i];
      if (history->size_of(digest)) known.insert(digest);
      // The newest version always stays, and so does what a shorter count would make the last copy.
      if (i == 0 || i < retention.versions || time >= oldest) keep.insert(digest);
    }
  for (const Digest& digest : known) report.versions += keep.contains(digest) ? 0 : 1;
  if (plan || report.versions == 0) return report;
  if (auto done = history->keep_only(keep); !done) return tl::unexpected(done.error());
  if (const auto info = session.storage->info(session.history_file())) report.after = info->size;
  return report;
}

Result<VerifyReport> verify_history(Session& session) {
  VerifyReport report;
  if (is_missing(*session.storage, session.history_file())) return report;
  auto history = history_to_show(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  const auto checked = history->check_contents(session.progress);
  if (!checked) return tl::unexpected(checked.error());
  report.contents = checked->contents;
  report.pieces = checked->pieces;
  if (checked->damaged.empty()) return report;
  const auto timelines = find_past_saves(session, *history, {});
  if (!timelines) return tl::unexpected(timelines.error());
  for (const Digest& digest : checked->damaged) {
    std::vector<std::string> versions;
    for (const Timeline& timeline : *timelines)
      for (const PastState& state : timeline.states)
        for (const auto& [path, version] : state.files)
          if (version.digest == digest)
            versions.push_back(fmt::format("{} of {}", state.id, safe_text(path)));
    report.damaged.push_back({Level::error,
                              Code::damaged,
                              versions.empty()
                                  ? std::string("a content that no save needs any more is damaged")
                                  : fmt::format("{} cannot be given back", list_text(versions)),
                              {"the disk that holds the history may be failing: copy it, and "
                               "export what is whole with '",
                               Remedy::export_history, "'"}});
  }
  return report;
}

namespace {

// The game and its system, so that a copy on a computer says what it is.
std::string folder_name(Session& session, RomFolders& folders, const Timeline& timeline) {
  std::string name = timeline.title.empty() ? stem_of(timeline.root) : timeline.title;
  std::optional<System> system;
  if (const auto shelf = find_shelf(session, folders, timeline.root))
    system = shelf->shelf->system;
  else if (const auto found = folder_at(*session.storage, timeline.root))
    system = found->layout->info().system;
  if (system) name += fmt::format(" ({})", to_string(*system));
  return safe_file_name(name);
}

}  // namespace

Result<std::vector<Path>> export_history(Session& session, const std::string& save,
                                         const Path& folder) {
  Storage& storage = *session.storage;
  if (!is_missing(storage, folder))
    return fail(Trouble::stopped, Code::name_taken,
                fmt::format("{}: is there already", safe_text(folder.string())),
                "name a folder that does not exist yet");
  auto history = history_to_show(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  const auto timelines = find_past_saves(session, *history, save);
  if (!timelines) return tl::unexpected(timelines.error());
  std::vector<Path> written;
  RomFolders folders(session);
  for (const Timeline& timeline : *timelines) {
    const std::string file_name = safe_file_name(timeline.root.filename().string());
    const std::string name = folder_name(session, folders, timeline);
    for (const PastState& state : timeline.states) {
      const Path place = folder / name / fmt::format("{} {}", file_time(state.time_ns), state.id);
      if (auto on = session.proceed(Work::versions, written.size(), 0); !on)
        return tl::unexpected(on.error());
      for (const auto& [path, version] : state.files) {
        if (!version.digest) continue;
        const Digest& digest = *version.digest;
        if (!history->size_of(digest)) continue;
        const Path inner = path == timeline.root.string()
                               ? Path(file_name)
                               : Path(path).lexically_relative(timeline.root);
        const Path file = place / inner;
        if (auto made = make_folders(storage, file.parent_path()); !made)
          return tl::unexpected(made.error());
        const auto made = storage.create_from(
            file, version.mode & 0666U,
            [&](const ByteSink& sink) { return history->content_to(digest, sink); });
        if (!made && made.error().code == Code::history_failed)
          continue;  // damaged; the rest is not
        if (!made) return tl::unexpected(made.error());
        (void)storage.set_modified(file, version.modified_ns);
        written.push_back(file);
      }
    }
  }
  return written;
}

}  // namespace bayswap
