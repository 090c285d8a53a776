#include "moves/mover.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "files/clock.h"
#include "moves/in_use.h"
#include "places/walk.h"

namespace bayswap {
namespace {

Path nearest_folder(Storage& storage, const Path& path) {
  Path folder = path.parent_path();
  while (folder.has_relative_path() && is_missing(storage, folder)) folder = folder.parent_path();
  return folder;
}

bool same_stamp(const FileInfo& a, const FileInfo& b) {
  return a.inode == b.inode && a.size == b.size && a.modified_ns == b.modified_ns;
}

Error others_wrote(const Path& path) {
  return {Trouble::stopped, Code::in_use,
          fmt::format("{}: another program wrote there meanwhile; its progress was left in place",
                      safe_text(path.string())),
          "close that program. History holds what it wrote and what was there before; nothing is "
          "lost"};
}

}  // namespace

std::string tag_of(const MoveRecord& move) {
  return fmt::format("{}-{:x}", move_name(move.id), move.time_ns);
}

Result<FileVersion> version_at(Storage& storage, const Path& path) {
  const auto info = storage.info(path);
  if (!info && info.error().code == Code::missing) return FileVersion{};
  if (!info) return tl::unexpected(info.error());
  if (info->type != FileType::file)
    return fail(Trouble::stopped, Code::link,
                fmt::format("{}: is {} where a file was expected", safe_text(path.string()),
                            info->type == FileType::link ? "a link" : "a folder or device"),
                "Bay Swap does not write through links; put a plain file there");
  const auto digest = storage.digest(path);
  if (!digest) return tl::unexpected(digest.error());
  return FileVersion{*digest, info->modified_ns, info->mode};
}

Result<History> recovered_history(Storage& storage, const Path& file) {
  auto history = History::open(storage, file);
  if (!history) return history;
  if (auto recovered = Mover(storage, *history).recover(); !recovered)
    return tl::unexpected(recovered.error());
  return history;
}

Result<History> history_to_show(Storage& storage, const Path& file) {
  auto history = recovered_history(storage, file);
  if (history || history.error().trouble != Trouble::place) return history;
  auto as_it_is = History::open_to_read(storage, file);
  if (!as_it_is || !*as_it_is) return history;
  return std::move(**as_it_is);
}

// What is at a change's path, when it is still what the plan saw.
Result<FileVersion> Mover::version_before(const FileChange& change) {
  if (change.seen) return version_seen(change);
  auto there = version_at(storage_, change.path);
  if (there && there->digest != change.before) return tl::unexpected(place_changed(change.path));
  return there;
}

// Of a file that the plan has read, its bytes; comparing them is cheaper than hashing them.
Result<FileVersion> Mover::version_seen(const FileChange& change) {
  const auto info = storage_.info(change.path);
  if (!info && info.error().code == Code::missing)
    return tl::unexpected(place_changed(change.path));
  if (!info) return tl::unexpected(info.error());
  if (info->type != FileType::file) return version_at(storage_, change.path);
  const auto there = storage_.view(change.path, kSaveLimit);
  if (!there) return tl::unexpected(there.error());
  if (!same_bytes(there->bytes(), *change.seen)) return tl::unexpected(place_changed(change.path));
  return FileVersion{change.before, info->modified_ns, info->mode};
}

// An earlier move that still has to be settled holds up its own paths, and no others.
Result<void> Mover::check_free(const std::vector<FileChange>& changes) {
  for (const WaitingMove& wait : history_.waiting())
    for (const std::string& path : wait.paths)
      for (const FileChange& change : changes)
        if (lies_in(path, change.path) || lies_in(change.path, path))
          return fail(
              Trouble::stopped, Code::in_use,
              fmt::format("{}: the move {}, which was cut off, is not settled here yet: {}",
                          safe_text(change.path.string()), move_name(wait.id), wait.reason.text),
              wait.reason.hint);
  return {};
}

Result<void> Mover::keep_old(const FileChange& change, const FileVersion& before) {
  if (!before.digest) return {};
  if (change.seen) return history_.keep_as(change.seen_digests, *change.seen);
  const auto kept = history_.keep_file(storage_, change.path);
  if (!kept) return tl::unexpected(kept.error());
  if (*kept != *before.digest) return tl::unexpected(place_changed(change.path));
  return {};
}

Result<void> Mover::record(MoveRecord& move, const std::vector<FileChange>& changes,
                           const FolderSwap* swap) {
  auto transaction = Transaction::begin(history_.database());
  if (!transaction) return tl::unexpected(transaction.error());
  if (move.command == 0) {
    const auto command = history_.begin_command(move.kind, move.time_ns);
    if (!command) return tl::unexpected(command.error());
    move.command = *command;
  }
  for (const FileChange& change : changes) {
    auto step = step_of(change);
    if (!step) return tl::unexpected(step.error());
    move.steps.push_back(std::move(*step));
  }
  note_missing_folders(move, changes, swap);
  note_folders(move);
  if (swap != nullptr) note_swap(move, *swap);
  if (auto begun = history_.begin_move(move); !begun) return begun;
  return transaction->commit();
}

// One file of the move as the journal has it; its old content goes into history.
Result<Step> Mover::step_of(const FileChange& change) {
  auto before = version_before(change);
  if (!before) return tl::unexpected(before.error());
  if (auto kept = keep_old(change, *before); !kept) return tl::unexpected(kept.error());
  Step step;
  step.path = change.path.string();
  step.before = *before;
  step.after.mode = before->digest ? before->mode : change.mode.value_or(0644);
  step.after.modified_ns = change.modified_ns.value_or(0);
  // The digest of a copy is known when it is made; until then nothing that lies there is taken
  // for it.
  if (change.from) step.after.digest = Digest{};
  if (change.kept) step.after.digest = change.kept;
  if (!change.content || change.from || change.kept) return step;
  const auto digest = keep_new(change);
  if (!digest) return tl::unexpected(digest.error());
  step.after.digest = *digest;
  return step;
}

Result<Digest> Mover::keep_new(const FileChange& change) {
  const ContentDigests digests =
      change.seen ? digests_of(*change.content, *change.seen, change.seen_digests)
                  : digests_of(*change.content);
  if (change.keep_new)
    if (auto kept = history_.keep_as(digests, *change.content, change.seen_digests); !kept)
      return tl::unexpected(kept.error());
  return digests.whole;
}

// Folders that the move will make are on record before it begins, so that a later run can take them
// away again.
void Mover::note_missing_folders(MoveRecord& move, const std::vector<FileChange>& changes,
                                 const FolderSwap* swap) {
  std::set<Path> noted;
  const auto note = [&](Step& step, const Path& folder) {
    std::vector<std::string> missing;
    for (Path at = folder; !at.empty() && is_missing(storage_, at); at = at.parent_path())
      if (noted.insert(at).second) missing.push_back(at.string());
    step.made_folders.insert(step.made_folders.end(), missing.rbegin(), missing.rend());
  };
  if (swap != nullptr && !swap->goes && !move.steps.empty()) note(move.steps.front(), swap->folder);
  for (std::size_t i = 0; i < changes.size(); ++i)
    if (!changes[i].goes()) note(move.steps[i], changes[i].path.parent_path());
}

// A swap touches the times of the folder and of the one that it lies in.
void Mover::note_swap(MoveRecord& move, const FolderSwap& swap) {
  if (move.steps.empty()) return;
  for (const Path& folder : {swap.folder, nearest_folder(storage_, swap.folder)})
    if (const auto info = storage_.info(folder))
      move.steps.front().folder_times.push_back({folder.string(), info->modified_ns, 0});
}

void Mover::note_folders(MoveRecord& move) {
  for (Step& step : move.steps) {
    const Path folder = nearest_folder(storage_, step.path);
    if (const auto info = storage_.info(folder))
      step.folder_times.push_back({folder.string(), info->modified_ns, 0});
  }
}

void Mover::note_results(MoveRecord& move) {
  for (Step& step : move.steps) {
    if (const auto info = storage_.info(step.path)) step.after.modified_ns = info->modified_ns;
    for (FolderTime& time : step.folder_times)
      if (const auto info = storage_.info(time.path)) time.after_ns = info->modified_ns;
  }
}

Result<void> Mover::change_file(MoveRecord& move, const FileChange& change, std::size_t step,
                                std::vector<Unit>& done) {
  Step& own = move.steps[step];
  const std::string tag = fmt::format("{}-{}", tag_of(move), step);
  Unit unit{
      change.path, beside(change.path, tag), beside(change.path, tag + "-old"), false, {&own}};
  if (!change.goes()) {
    if (auto made = make_folders(storage_, change.path.parent_path()); !made)
      return tl::unexpected(made.error());
    done.push_back(unit);
    if (auto staged = stage_file(change, unit.aside, own, {}); !staged) return staged;
  } else {
    done.push_back(unit);
  }
  // What must be there, or must not: a swap of names would not notice.
  if (is_missing(storage_, unit.place) != !change.before)
    return tl::unexpected(place_changed(change.path));
  if (auto swapped = swap_names(unit); !swapped) {
    if (swapped.error().code == Code::exists) return tl::unexpected(place_changed(change.path));
    return swapped;
  }
  // The last look: what waits now is what the plan saw, or whoever wrote gets it back.
  const auto waits = version_at(storage_, unit.aside);
  if (waits && waits->digest == change.before && !is_held(unit.aside)) return {};
  met_others_ = true;
  if (!is_missing(storage_, unit.aside))
    if (auto back = swap_names(unit); !back) return back;
  return tl::unexpected(place_changed(change.path));
}

// Whoever holds what waits open would write into a file that goes.
bool Mover::is_held(const Path& path) {
  return !allow_in_use_ && !storage_.writer_of(path).empty();
}

// Everything in the folder that waits must be what the plan saw.
Result<void> Mover::look_again(const FolderSwap& swap, const std::vector<FileChange>& changes,
                               const Path& waiting) {
  constexpr std::int64_t kCoarse = 2'500'000'000;  // nanoseconds: coarser than any file's time
  const auto tree = whole_tree(storage_, waiting);
  if (!tree) return tl::unexpected(place_changed(swap.folder));
  std::map<std::string, WalkedFile> there;
  for (const WalkedFile& file : tree->files)
    there.emplace(file.path().lexically_relative(waiting).generic_string(), file);
  std::set<std::string> changed;
  for (const FileChange& change : changes) {
    if (!lies_in(swap.folder, change.path)) continue;
    const std::string name = change.path.lexically_relative(swap.folder).generic_string();
    changed.insert(name);
    const Path path = waiting / name;
    const auto now = version_at(storage_, path);
    if (!now || now->digest != change.before || is_held(path))
      return tl::unexpected(place_changed(change.path));
    there.erase(name);
  }
  const std::int64_t now = now_ns();
  for (const auto& [name, seen] : swap.seen) {
    if (changed.contains(name)) continue;
    const auto file = there.find(name);
    if (file == there.end() || !same_stamp(seen.info, file->second.info))
      return tl::unexpected(place_changed(swap.folder / name));
    // Its time may not tell of a change when it is as young as the plan.
    if (seen.digest && seen.info.modified_ns + kCoarse > now) {
      const auto digest = storage_.digest(file->second.path());
      if (!digest || *digest != *seen.digest)
        return tl::unexpected(place_changed(swap.folder / name));
    }
    there.erase(file);
  }
  if (!there.empty()) return tl::unexpected(place_changed(swap.folder / there.begin()->first));
  return {};
}

Result<void> Mover::change_folder(MoveRecord& move, const std::vector<FileChange>& changes,
                                  const FolderSwap& swap, std::vector<Unit>& done) {
  Unit unit{swap.folder,
            beside(swap.folder, tag_of(move) + "-new"),
            beside(swap.folder, tag_of(move) + "-old"),
            true,
            {}};
  for (const Step& step : move.steps)
    if (lies_in(swap.folder, step.path)) unit.steps.push_back(&step);
  if (auto made = make_folders(storage_, swap.folder.parent_path()); !made)
    return tl::unexpected(made.error());
  done.push_back(unit);
  if (!swap.goes)
    if (auto staged = stage_folder(swap, changes, unit.aside, move); !staged) return staged;
  const bool copies = std::ranges::any_of(
      changes, [](const FileChange& change) { return change.from.has_value(); });
  if (copies)
    if (auto noted = history_.note_digests(move); !noted) return noted;
  if (is_missing(storage_, swap.folder) != move.makes_folder)
    return tl::unexpected(place_changed(swap.folder));
  if (auto swapped = swap_names(unit); !swapped) {
    if (swapped.error().code == Code::exists) return tl::unexpected(place_changed(swap.folder));
    return swapped;
  }
  if (move.makes_folder) return {};
  if (auto same = look_again(swap, changes, unit.aside); !same) {
    met_others_ = true;
    if (auto back = swap_names(unit); !back) return back;
    return same;
  }
  return {};
}

Result<void> Mover::do_changes(MoveRecord& move, const std::vector<FileChange>& changes,
                               const FolderSwap* swap, std::vector<Unit>& done) {
  if (swap != nullptr)
    if (auto changed = change_folder(move, changes, *swap, done); !changed) return changed;
  for (std::size_t i = 0; i < changes.size(); ++i)
    if (swap == nullptr || !lies_in(swap->folder, changes[i].path))
      if (auto changed = change_file(move, changes[i], i, done); !changed) return changed;
  return {};
}

Result<void> Mover::read_back(const MoveRecord& move, const std::vector<FileChange>& changes) {
  for (std::size_t i = 0; i < changes.size(); ++i) {
    const Path& path = changes[i].path;
    const auto there = version_at(storage_, path);
    if (!there && there.error().code != Code::link) return tl::unexpected(there.error());
    if (there && there->digest == move.steps[i].after.digest) continue;
    // Ours, and reading differently: the medium fails. Else somebody wrote.
    const auto info = storage_.info(path);
    const auto staged = staged_.find(path);
    if (info && staged != staged_.end() && same_stamp(*info, staged->second))
      return tl::unexpected(read_differently(path));
    met_others_ = true;
    return tl::unexpected(others_wrote(path));
  }
  return {};
}

Result<MoveRecord> Mover::finish(MoveRecord move, Door& door) {
  for (const Unit& unit : units_of(storage_, move))
    if (auto cleared = clear_asides(unit, door); !cleared) return tl::unexpected(cleared.error());
  note_results(move);
  move.state = MoveState::done;
  if (auto finished = history_.finish_move(move); !finished)
    return tl::unexpected(finished.error());
  return move;
}

Result<MoveRecord> Mover::apply(MoveRecord move, const std::vector<FileChange>& changes,
                                const std::function<Result<void>()>& verify,
                                const FolderSwap* swap) {
  if (auto there = check_place(storage_, move); !there) return tl::unexpected(there.error());
  if (auto free = check_free(changes); !free) return tl::unexpected(free.error());
  if (!allow_in_use_)
    for (const FileChange& change : changes)
      if (const auto held = in_use(storage_, change.path))
        return fail(Trouble::stopped, held->code, held->text, held->hint);
  if (move.place.empty() && !changes.empty())
    move.place = nearest_folder(storage_, changes.front().path).string();
  move.place_id = storage_.identity(move.place);
  if (swap != nullptr) {
    move.folder = swap->folder.string();
    move.makes_folder = is_missing(storage_, swap->folder);
    move.removes_folder = swap->goes;
  }
  move.time_ns = now_ns();
  move.state = MoveState::writing;
  staged_.clear();
  met_others_ = false;
  if (auto recorded = record(move, changes, swap); !recorded)
    return tl::unexpected(recorded.error());
  std::vector<Unit> done;
  Result<void> outcome = do_changes(move, changes, swap, done);
  if (outcome) outcome = read_back(move, changes);
  if (outcome) outcome = verify();
  if (!outcome) {
    const bool forced = !met_others_ && outcome.error().trouble == Trouble::read_back;
    // When putting back fails too, the journal stays open and the next run tries again.
    if (roll_back(move, done, forced)) (void)history_.mark(move.id, MoveState::rolled_back);
    if (met_others_ && outcome.error().code != Code::in_use)
      outcome = tl::unexpected(others_wrote(changes.front().path));
    return tl::unexpected(outcome.error());
  }
  Door door(storage_, history_, move);
  for (const Step& step : move.steps)
    if (step.after.digest) door.know(*step.after.digest);
  return finish(std::move(move), door);
}

}  // namespace bayswap
