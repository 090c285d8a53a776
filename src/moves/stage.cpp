// What a move will swap in, made beside its place.
#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "moves/mover.h"
#include "places/walk.h"

namespace bayswap {
namespace {

constexpr std::uint32_t kUsualMode = 0666;  // less what the user's mask takes away

}  // namespace

Result<std::map<std::string, FolderSwap::Seen>> files_seen(Storage& storage, const Path& folder) {
  std::map<std::string, FolderSwap::Seen> seen;
  if (is_missing(storage, folder)) return seen;
  auto tree = whole_tree(storage, folder);
  if (!tree) return tl::unexpected(tree.error());
  for (const WalkedFile& file : tree->files)
    seen[file.path().lexically_relative(folder).generic_string()].info = file.info;
  return seen;
}

Result<void> Mover::stage_file(const FileChange& change, const Path& staged, Step& step,
                               const CopyProgress& progress) {
  const auto old = storage_.info(change.path);
  if (old && old->type != FileType::file) return tl::unexpected(place_changed(change.path));
  const std::uint32_t mode = old ? 0600 : change.mode.value_or(kUsualMode);
  Result<void> made;
  if (change.from) {
    const auto seen = storage_.info(*change.from);
    if (!seen) return tl::unexpected(seen.error());
    const auto copied = change.from_begin == 0
                            ? storage_.copy(*change.from, staged, mode, progress)
                            : copy_end(storage_, *change.from, change.from_begin, staged, mode);
    if (!copied) return tl::unexpected(copied.error());
    const auto after = storage_.info(*change.from);
    if (!after || after->size != seen->size || after->modified_ns != seen->modified_ns)
      return tl::unexpected(place_changed(*change.from));
    step.after.digest = *copied;
  } else if (change.kept) {
    made = storage_.create_from(staged, mode, [&](const ByteSink& sink) {
      return history_.content_to(*change.kept, sink);
    });
  } else {
    made = storage_.create(staged, *change.content, mode);
  }
  if (!made) return made;
  if (old)
    (void)storage_.copy_attributes(change.path, staged);  // the plan has told what can't be kept
  else if (change.mode)
    made = storage_.set_mode(staged, *change.mode);
  if (made && change.modified_ns) made = storage_.set_modified(staged, *change.modified_ns);
  if (!made) return made;
  if (const auto info = storage_.info(staged)) staged_[change.path] = *info;
  return {};
}

// A second name for the same file where the system has such; else a copy.
Result<void> Mover::keep_as_it_is(const Path& old, const Path& staged, const FolderSwap& swap) {
  const auto linked = storage_.link(old, staged);
  if (!linked) return tl::unexpected(linked.error());
  if (*linked) return {};
  const auto info = storage_.info(old);
  if (!info) return tl::unexpected(info.error());
  const auto copied = storage_.copy(old, staged, 0600, swap.progress);
  if (!copied) return tl::unexpected(copied.error());
  (void)storage_.copy_attributes(old, staged);
  return storage_.set_modified(staged, info->modified_ns);
}

Result<void> Mover::stage_folder(const FolderSwap& swap, const std::vector<FileChange>& changes,
                                 const Path& staged, MoveRecord& move) {
  FolderTree there;
  if (!is_missing(storage_, swap.folder)) {
    auto tree = whole_tree(storage_, swap.folder);
    if (!tree) return tl::unexpected(tree.error());
    there = std::move(*tree);
  }
  const auto inside = [&](const Path& path) { return path.lexically_relative(swap.folder); };
  std::set<Path> folders{Path()};
  std::set<Path> changed;        // folders whose own time changes
  std::set<Path> changed_files;  // in full
  for (const Path& folder : there.folders) folders.insert(inside(folder));
  for (const FileChange& change : changes) {
    if (!lies_in(swap.folder, change.path)) continue;
    changed.insert(inside(change.path).parent_path());
    changed_files.insert(change.path);
    if (!change.goes())
      for (Path at = inside(change.path).parent_path(); !at.empty(); at = at.parent_path())
        if (folders.insert(at).second) changed.insert(at.parent_path());
  }
  for (const Path& folder : folders) {
    const Path at = folder.empty() ? staged : staged / folder;
    if (auto made = storage_.make_folder(at); !made) return made;
  }
  for (const WalkedFile& file : there.files) {
    const Path path = file.path();
    if (changed_files.contains(path)) continue;
    if (auto kept = keep_as_it_is(path, staged / inside(path), swap); !kept) return kept;
  }
  for (std::size_t i = 0; i < changes.size(); ++i) {
    const FileChange& change = changes[i];
    if (change.goes() || !lies_in(swap.folder, change.path)) continue;
    if (auto made = stage_file(change, staged / inside(change.path), move.steps[i], swap.progress);
        !made)
      return made;
  }
  // Deepest first, since what is made in a folder changes its time.
  const std::vector<Path> deepest_first(folders.rbegin(), folders.rend());
  for (const Path& folder : deepest_first) {
    const Path at = folder.empty() ? staged : staged / folder;
    const Path place = folder.empty() ? swap.folder : swap.folder / folder;
    if (auto flushed = storage_.flush_folder(at); !flushed) return flushed;
    const auto old = storage_.info(place);
    if (!old) continue;
    (void)storage_.copy_attributes(place, at);
    if (!changed.contains(folder))
      if (auto set = storage_.set_modified(at, old->modified_ns); !set) return set;
  }
  return {};
}

}  // namespace bayswap
