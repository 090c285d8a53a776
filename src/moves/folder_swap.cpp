// A folder staged beside its place, and swapped in with two renames. Whatever happens between any
// two steps, the next run finds the old folder or the new one.
#include <algorithm>
#include <set>

#include "moves/mover.h"
#include "storage/atomic_write.h"

namespace bayswap {
namespace {

Path staged_beside(const MoveRecord& move, const Path& folder) {
  return beside(folder, tag_of(move) + "-new");
}
Path waiting_beside(const MoveRecord& move, const Path& folder) {
  return beside(folder, tag_of(move) + "-old");
}

// The folder of a move that has a staged or a waiting one beside it.
std::optional<Path> swapped_folder(Storage& storage, const MoveRecord& move) {
  for (const Step& step : move.steps)
    for (Path at = step.path; at.has_relative_path(); at = at.parent_path())
      if (!is_missing(storage, staged_beside(move, at)) ||
          !is_missing(storage, waiting_beside(move, at)))
        return at;
  return std::nullopt;
}

}  // namespace

Result<void> Mover::stage_file(const FolderSwap& swap, const FolderSwap::File& file,
                               const std::vector<FileChange>& changes, const Path& staged,
                               MoveRecord& move) {
  constexpr std::uint32_t kMode = 0644;
  const Path place = swap.folder / file.name;
  const Path to = staged / file.name;
  const auto change = std::ranges::find(changes, place, &FileChange::path);
  const auto old = storage_.info(place);
  const std::uint32_t mode = old ? old->mode : kMode;
  if (file.from) {
    const auto seen = storage_.info(*file.from);
    if (!seen) return tl::unexpected(seen.error());
    const auto copied = storage_.copy(*file.from, to, mode, swap.progress);
    if (!copied) return tl::unexpected(copied.error());
    const auto after = storage_.info(*file.from);
    if (!after || after->size != seen->size || after->modified_ns != seen->modified_ns)
      return tl::unexpected(place_changed(*file.from));
    if (change != changes.end())
      move.steps[static_cast<std::size_t>(change - changes.begin())].after.digest = *copied;
  } else if (auto made = storage_.create(to, file.bytes, mode); !made) {
    return made;
  }
  std::optional<std::int64_t> time;
  if (change != changes.end())
    time = change->modified_ns;
  else if (old)
    time = old->modified_ns;
  if (!time) return {};
  return storage_.set_modified(to, *time);
}

Result<void> Mover::stage(const FolderSwap& swap, const std::vector<FileChange>& changes,
                          const Path& staged, MoveRecord& move) {
  std::set<Path> folders{Path()};
  std::set<Path> changed;
  for (const FolderSwap::File& file : swap.files)
    for (Path at = Path(file.name).parent_path(); !at.empty(); at = at.parent_path())
      folders.insert(at);
  for (const FileChange& change : changes)
    if (lies_in(swap.folder, change.path))
      changed.insert(change.path.lexically_relative(swap.folder).parent_path());
  for (const Path& old : folders_below(storage_, swap.folder))
    folders.insert(old.lexically_relative(swap.folder));
  for (const Path& folder : folders) {
    const Path at = folder.empty() ? staged : staged / folder;
    if (auto made = storage_.make_folder(at); !made) return made;
    const Path place = folder.empty() ? swap.folder : swap.folder / folder;
    if (is_missing(storage_, place)) move.steps.front().made_folders.push_back(place.string());
  }
  for (const FolderSwap::File& file : swap.files)
    if (auto done = stage_file(swap, file, changes, staged, move); !done) return done;
  // Deepest first, since what is made in a folder changes its time.
  const std::vector<Path> deepest_first(folders.rbegin(), folders.rend());
  for (const Path& folder : deepest_first) {
    const Path at = folder.empty() ? staged : staged / folder;
    if (auto flushed = storage_.flush_folder(at); !flushed) return flushed;
    const auto old = storage_.info(folder.empty() ? swap.folder : swap.folder / folder);
    if (old && !changed.contains(folder))
      if (auto set = storage_.set_modified(at, old->modified_ns); !set) return set;
  }
  return {};
}

Result<void> Mover::swap_in(const FolderSwap& swap, const std::vector<FileChange>& changes,
                            MoveRecord& move) {
  const Path staged = staged_beside(move, swap.folder);
  const Path waiting = waiting_beside(move, swap.folder);
  auto made = make_folders(storage_, swap.folder.parent_path());
  if (!made) return tl::unexpected(made.error());
  for (const Path& path : *made) move.steps.front().made_folders.push_back(path.string());
  if (auto done = stage(swap, changes, staged, move); !done) return done;
  if (std::ranges::any_of(changes,
                          [](const FileChange& change) { return change.from.has_value(); }))
    if (auto noted = history_.note_digests(move); !noted) return noted;
  // The last look before the old content goes: whoever wrote since the plan keeps what they wrote.
  for (const FileChange& change : changes)
    if (lies_in(swap.folder, change.path))
      if (const auto there = version_before(change); !there) return tl::unexpected(there.error());
  if (!is_missing(storage_, swap.folder))
    if (auto moved = storage_.rename(swap.folder, waiting); !moved) return moved;
  if (auto moved = storage_.rename(staged, swap.folder); !moved) return moved;
  return storage_.flush_folder(swap.folder.parent_path());
}

// Removes what a swap left beside the folder; unless it is complete, the old folder comes back.
Result<void> Mover::settle_swap(const MoveRecord& move, bool complete) {
  const auto folder = swapped_folder(storage_, move);
  if (!folder) return {};
  const Path staged = staged_beside(move, *folder);
  const Path waiting = waiting_beside(move, *folder);
  if (!is_missing(storage_, waiting)) {
    if (!complete) {
      if (!is_missing(storage_, *folder))
        if (auto removed = remove_tree(storage_, *folder); !removed) return removed;
      if (auto moved = storage_.rename(waiting, *folder); !moved) return moved;
    } else if (auto removed = remove_tree(storage_, waiting); !removed) {
      return removed;
    }
  }
  if (!is_missing(storage_, staged))
    if (auto removed = remove_tree(storage_, staged); !removed) return removed;
  const Path parent = folder->parent_path();
  if (!complete)
    for (const Step& step : move.steps)
      for (const FolderTime& time : step.folder_times)
        if (Path(time.path) == parent) (void)storage_.set_modified(parent, time.before_ns);
  return {};
}

}  // namespace bayswap
