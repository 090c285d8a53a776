// A version brought back, as a move like any other.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/versions.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "moves/cart_open.h"
#include "moves/mover.h"
#include "moves/past_saves.h"
#include "moves/waiting.h"

namespace bayswap {
namespace {

struct Chosen {
  const Timeline* timeline;
  const PastState* state;
};

Result<Chosen> state_named(const std::vector<Timeline>& timelines, const std::string& id,
                           const std::string& save) {
  for (const Timeline& timeline : timelines) {
    const auto state = std::ranges::find(timeline.states, id, &PastState::id);
    if (state != timeline.states.end()) return Chosen{&timeline, &*state};
  }
  std::vector<std::string> ids;
  if (timelines.size() == 1)
    for (const PastState& state : timelines.front().states) ids.push_back(state.id);
  return fail(Trouble::stopped, Code::no_match,
              fmt::format("'{}' has no version {}", safe_text(save), safe_text(id)),
              ids.empty()
                  ? Hint{"see its versions: ", HintPiece{Remedy::show_history, safe_text(save)}}
                  : Hint(fmt::format("its versions are {}", list_text(ids))));
}

Result<std::vector<FileChange>> changes_to(Storage& storage, const History& history,
                                           const PastState& state) {
  std::vector<FileChange> changes;
  for (const auto& [path, version] : state.files) {
    const auto there = version_at(storage, path);
    if (!there) return tl::unexpected(there.error());
    if (there->digest == version.digest) continue;
    FileChange change;
    change.path = path;
    change.before = there->digest;
    if (version.digest) {
      if (!history.size_of(*version.digest))
        return fail(
            Trouble::stopped, Code::tidied_away,
            fmt::format("{}: this version was tidied away from the history", safe_text(path)),
            {"'", Remedy::show_history, "' marks the versions that can be brought back"});
      change.kept = version.digest;
      change.mode = version.mode;
      change.modified_ns = version.modified_ns;
    }
    changes.push_back(std::move(change));
  }
  return changes;
}

// Several files of one folder come back together, by a swap of the folder.
Result<std::optional<FolderSwap>> swap_for(Session& session, const Path& root,
                                           const std::vector<FileChange>& changes) {
  Storage& storage = *session.storage;
  const bool holds_a_bay = std::ranges::any_of(
      session.bays.bays(), [&](const Bay& bay) { return lies_in(root, bay.place); });
  const auto info = storage.info(root);
  const auto above = storage.info(root.parent_path());
  const bool own = info && info->type == FileType::folder && above &&
                   std::ranges::all_of(changes, [&](const FileChange& change) {
                     return change.path != root && lies_in(root, change.path);
                   });
  if (changes.size() < 2 || holds_a_bay || !own || storage.is_mount_point(root))
    return std::optional<FolderSwap>{};
  FolderSwap swap;
  swap.folder = root;
  swap.progress = session.copy_progress();
  auto seen = files_seen(storage, root);
  // A folder with links in it is changed file by file.
  if (!seen && seen.error().code == Code::link) return std::optional<FolderSwap>{};
  if (!seen) return tl::unexpected(seen.error());
  swap.seen = std::move(*seen);
  return std::optional<FolderSwap>(std::move(swap));
}

}  // namespace

Result<CarryReport> restore(Session& session, const RestoreRequest& request) {
  Storage& storage = *session.storage;
  if (is_missing(storage, session.history_file()))
    return fail(Trouble::stopped, Code::no_match, "there is no history yet",
                {"'", Remedy::keep, "' begins one; every carry adds to it"});
  auto history = recovered_history(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  report_waiting(session, *history);
  Mover mover(storage, *history);
  const auto timelines = find_past_saves(session, *history, request.save);
  if (!timelines) return tl::unexpected(timelines.error());
  const auto chosen = state_named(*timelines, request.at, request.save);
  if (!chosen) return tl::unexpected(chosen.error());
  const Timeline& timeline = *chosen->timeline;
  const PastState& state = *chosen->state;
  if (is_on_cartridge(timeline.root.string()))
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("{}: is the save of a cartridge, which only a reader can write",
                            safe_text(timeline.root.string())),
                {"bring the version into a file with '", Remedy::export_history,
                 "', then: ", Remedy::write_cart});
  const auto changes = changes_to(storage, *history, state);
  if (!changes) return tl::unexpected(changes.error());

  CarryReport report;
  MoveReport line;
  line.from = {fmt::format("{} in history", request.at)};
  line.to = timeline.root.string();
  line.game.title = timeline.title;
  line.folder = state.files.size() > 1;
  line.replaces = std::ranges::any_of(
      *changes, [](const FileChange& change) { return change.before.has_value(); });
  for (const auto& [path, version] : state.files)
    if (version.digest) line.size += history->size_of(*version.digest).value_or(0);
  line.nothing_to_do = changes->empty();
  line.status = request.plan ? MoveStatus::planned : MoveStatus::done;
  if (changes->empty())
    line.checks.push_back(
        {Level::note, Code::already_there, "this version is there: nothing to do", ""});
  if (!changes->empty() && !request.plan) {
    MoveRecord move;
    move.kind = "restore";
    move.source = request.at;
    move.bay = timeline.bay;
    move.title = timeline.title;
    for (const auto& [path, version] : state.files)
      move.source_modified_ns = std::max(move.source_modified_ns, version.modified_ns);
    move.place = timeline.place.empty() ? place_of(session, timeline.root) : timeline.place;
    move.place_id = timeline.place_id;
    const auto swap = swap_for(session, timeline.root, *changes);
    if (!swap) return tl::unexpected(swap.error());
    auto done = mover.apply(
        std::move(move), *changes, [] { return Result<void>{}; }, *swap ? &**swap : nullptr);
    if (!done) return tl::unexpected(done.error());
    line.move = move_name(done->id);
  }
  report.moves.push_back(std::move(line));
  return report;
}

}  // namespace bayswap
